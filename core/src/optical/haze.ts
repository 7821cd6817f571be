import { type Histogram, quantile } from "../raster/histogram";

/** Kinds of ground that haze is told apart over. */
export const LAND = 0;
export const WATER = 1;
/** Names of haze levels: over land 0–3, over water 4–7; cloud stands apart. */
export const HAZE_LEVELS = [
  "Clear land",
  "Thin haze over land",
  "Haze over land",
  "Thick haze over land",
  "Clear water",
  "Thin haze over water",
  "Haze over water",
  "Thick haze over water",
  "Cloud",
] as const;
export const HAZE_CLOUD = 8;
/** Reflectance beyond clear at which haze is called so, and thick. */
export const HAZE_STEPS = [0.012, 0.03] as const;

/** Bands that haze is found by, indices into an image's bands; swir −1 where there is none. */
export interface HazeBands {
  blue: number;
  green: number;
  red: number;
  nir: number;
  swir: number;
}

/** What a cell shows: plants, other land, water, cloud or nothing. */
export type Ground = "plants" | "land" | "water" | "cloud" | "none";
/**
 * Ground of a cell by its reflectance; haze raises the blue end and hardly the infrared, so
 * differences of bands decide and not ratios.
 */
export function groundOf(
  blue: number,
  green: number,
  red: number,
  nir: number,
  swir: number,
): Ground {
  if (!(blue + green + red + nir - (blue + green + red + nir) === 0)) {
    return "none";
  }
  const m = (blue + green + red) / 3;
  if (m > 0.27 && Math.max(blue, green, red) - Math.min(blue, green, red) < 0.5 * m) {
    return "cloud";
  }
  if (
    swir === swir
      ? green > swir + 0.004 && nir < 0.16 && nir < green + 0.02
      : nir < green && nir < 0.16
  ) {
    return "water";
  }
  return nir - red > 0.07 ? "plants" : "land";
}

/** Bins of the blue–red scatter: red across, blue down. */
export const SCATTER = { bins: 100, max: 0.5 } as const;

export interface ClearLine {
  slope: number;
  intercept: number;
  cells: number;
}
/**
 * The clear line of the blue–red scatter of plants (Zhang, Guindon & Cihlar 2002): blue as it is
 * for each red where the air is clear. Haze lies on one side
 * of it, so the line is laid through the low side of blue (the fifth of the cells of each red), and
 * red bins that are hazy throughout are dropped.
 * @param counts SCATTER.bins² cells, row = blue; null when fewer than 1000 cells or four red bins
 * are there
 */
export function clearLine(counts: ArrayLike<number>): ClearLine | null {
  const n = SCATTER.bins;
  const width = SCATTER.max / n;
  const points: { x: number; y: number; w: number }[] = [];
  let cells = 0;
  for (let x = 0; x < n; x++) {
    const column: Histogram = {
      min: 0,
      max: SCATTER.max,
      counts: Array.from({ length: n }, (_v, y) => counts[y * n + x]!),
      below: 0,
      above: 0,
    };
    const total = column.counts.reduce((a, b) => a + b);
    cells += total;
    if (total >= 40) {
      points.push({ x: (x + 0.5) * width, y: quantile(column, 0.2), w: Math.sqrt(total) });
    }
  }
  let kept = points;
  for (let round = 0; ; round++) {
    if (cells < 1000 || kept.length < 4) {
      return null;
    }
    const columns = kept.reduce((s, point) => s + point.w, 0);
    const mx = kept.reduce((s, point) => s + point.w * point.x, 0) / columns;
    const my = kept.reduce((s, point) => s + point.w * point.y, 0) / columns;
    const slope =
      kept.reduce((s, point) => s + point.w * (point.x - mx) * (point.y - my), 0) /
      kept.reduce((s, point) => s + point.w * (point.x - mx) ** 2, 0);
    const intercept = my - slope * mx;
    const off = kept.map((point) => point.y - intercept - slope * point.x);
    const spread = Math.sqrt(
      off.reduce((s, value, k) => s + kept[k]!.w * value * value, 0) / columns,
    );
    const next = kept.filter((_p, k) => off[k]! <= 1.2 * spread + 1e-4);
    if (round === 4 || next.length === kept.length || next.length < 4) {
      return { slope, intercept, cells };
    }
    kept = next;
  }
}
/** Distance of a cell from the clear line, towards haze. */
export const hazeOf = (line: ClearLine, blue: number, red: number): number =>
  (blue - line.intercept - line.slope * red) / Math.hypot(1, line.slope);

/** Bins of haze, and of reflectance within each, by which levels are cleared. */
export const HAZE_BINS = { min: -0.03, max: 0.17, bins: 50 } as const;
export const LIGHT_BINS = { min: -0.02, max: 0.58, bins: 200 } as const;

/**
 * Bin of the haze histogram that a haze value falls into; values beyond the ends go into the outer
 * bins.
 */
export const hazeBin = (h: number): number =>
  Math.max(
    0,
    Math.min(
      HAZE_BINS.bins - 1,
      Math.floor(((h - HAZE_BINS.min) / (HAZE_BINS.max - HAZE_BINS.min)) * HAZE_BINS.bins),
    ),
  );
const hazeAt = (k: number) =>
  HAZE_BINS.min + ((k + 0.5) * (HAZE_BINS.max - HAZE_BINS.min)) / HAZE_BINS.bins;

/**
 * What is taken off over one kind of ground: nothing up to `from`; beyond it, for each band,
 * reflectance by haze on a line with corners.
 */
export interface HazeCurve {
  from: number;
  at: number[];
  /** A row a band. */ off: number[][];
  cells: number;
}
const LEAST = 60;
/**
 * Dark-level subtraction by level of haze: in every bin of haze the darkest twentieth of a band is
 * held against that of clear ground; what it lies above is
 * the haze's own light. It cannot fall as haze grows (isotonic regression), nor be below zero.
 * @param counts haze bin, then reflectance bin, a histogram a band; @returns null where the ground
 * is too small to tell
 */
export function hazeCurve(bands: readonly ArrayLike<number>[]): HazeCurve | null {
  const bins = LIGHT_BINS.bins;
  const per = Array.from({ length: HAZE_BINS.bins }, (_v, k) => {
    let n = 0;
    for (let j = 0; j < bins; j++) {
      n += bands[0]![k * bins + j]!;
    }
    return n;
  });
  const cells = per.reduce((a, b) => a + b);
  if (cells < 500) {
    return null;
  }
  // Clear air is the first high peak of haze's histogram; its left flank says how far it spreads by
  // chance.
  const soft = per.map((n, k) => n + 0.5 * ((per[k - 1] ?? 0) + (per[k + 1] ?? 0)));
  const top = Math.max(...soft);
  const peak = soft.findIndex((n, k) => n > 0.35 * top && n >= (soft[k + 1] ?? 0));
  const left = per.slice(0, peak).reduce((a, b) => a + b) + per[peak]! / 2;
  let low = 0;
  let tail = 0;
  while (low < peak && tail + per[low]! < 0.05 * left) {
    tail += per[low++]!;
  }
  const spread = Math.max(1, peak - low);
  const first = Math.min(HAZE_BINS.bins - 1, peak + Math.ceil(2.5 * spread));
  const from = hazeAt(first);
  const dark = (arrayLike: ArrayLike<number>, k0: number, k1: number) => {
    const histogram: Histogram = {
      min: LIGHT_BINS.min,
      max: LIGHT_BINS.max,
      counts: Array.from({ length: bins }, (_v, j) => {
        let n = 0;
        for (let k = k0; k < k1; k++) {
          n += arrayLike[k * bins + j]!;
        }
        return n;
      }),
      below: 0,
      above: 0,
    };
    return quantile(histogram, 0.05);
  };
  // Neighbouring bins that are thin stand together.
  const groups: { k0: number; k1: number; n: number }[] = [];
  for (let k = first; k < HAZE_BINS.bins; k++) {
    const last = groups.at(-1);
    if (last && last.n < LEAST) {
      last.k1 = k + 1;
      last.n += per[k]!;
    } else {
      groups.push({ k0: k, k1: k + 1, n: per[k]! });
    }
  }
  const used = groups.filter((group) => group.n >= LEAST);
  const at = used.map((step) => {
    let s = 0;
    for (let k = step.k0; k < step.k1; k++) {
      s += per[k]! * hazeAt(k);
    }
    return s / step.n;
  });
  const off = bands.map((counts) => {
    const clear = dark(counts, Math.max(0, peak - 1), Math.min(HAZE_BINS.bins, peak + 2));
    return isotonic(
      used.map((step) => Math.max(0, dark(counts, step.k0, step.k1) - clear)),
      used.map((step) => step.n),
    );
  });
  return { from, at, off, cells };
}

/**
 * The never falling sequence nearest to values in the weighted least-squares sense (pool adjacent
 * violators).
 */
export function isotonic(values: readonly number[], weights: readonly number[]): number[] {
  const pools: { sum: number; w: number; n: number }[] = [];
  values.forEach((value, i) => {
    pools.push({ sum: value * weights[i]!, w: weights[i]!, n: 1 });
    while (
      pools.length > 1 &&
      pools.at(-2)!.sum / pools.at(-2)!.w > pools.at(-1)!.sum / pools.at(-1)!.w
    ) {
      const pool = pools.pop()!;
      const a = pools.at(-1)!;
      a.sum += pool.sum;
      a.w += pool.w;
      a.n += pool.n;
    }
  });
  return pools.flatMap((pool) => new Array<number>(pool.n).fill(pool.sum / pool.w));
}

/**
 * Reflectance to take off at a haze; 0 up to where haze begins, the last corner's rate beyond the
 * last corner.
 */
export function hazeOff(c: HazeCurve, band: number, haze: number): number {
  if (!(haze > c.from) || c.at.length === 0) {
    return 0;
  }
  const y = c.off[band]!;
  let k = 0;
  while (k < c.at.length && c.at[k]! < haze) {
    k++;
  }
  if (k === c.at.length) {
    return y[k - 1]!;
  }
  const x0 = k ? c.at[k - 1]! : c.from;
  const y0 = k ? y[k - 1]! : 0;
  return y0 + ((y[k]! - y0) * (haze - x0)) / (c.at[k]! - x0 || 1);
}
/** Level of haze beyond what is clear. */
export const hazeLevel = (beyond: number): number => {
  if (!(beyond > 0)) {
    return 0;
  }
  if (beyond < HAZE_STEPS[0]) {
    return 1;
  }
  if (beyond < HAZE_STEPS[1]) {
    return 2;
  }
  return 3;
};
