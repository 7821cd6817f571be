import { Matrix, solve } from "ml-matrix";

const GREEN_BINS = 24;
const WET_BINS = 12;
/** Tiles along a side of a frame in which its light is measured, and bins that stand for covers. */
export const TONE_TILES = 16;
export const TONE_BINS = GREEN_BINS * WET_BINS;
const GREENNESS = { min: 0, max: 0.96 } as const;
const WETNESS = { min: -0.3, max: 0.66 } as const;
const part = (value: number, { min, max }: { min: number; max: number }, bins: number): number =>
  value > min && value < max ? Math.floor(((value - min) / (max - min)) * bins) : -1;
/**
 * Cover of a cell by two quotients of bands, NDVI and NDMI, which light that is common to all bands
 * leaves alone; −1 for water and what lies outside.
 * Without shortwave infrared (NaN) greenness alone decides.
 */
export function toneBin(red: number, nir: number, swir: number): number {
  const group = part((nir - red) / (nir + red), GREENNESS, GREEN_BINS);
  const w = swir === swir ? part((nir - swir) / (nir + swir), WETNESS, WET_BINS) : 0;
  return group < 0 || w < 0 ? -1 : group * WET_BINS + w;
}

/**
 * Light of a frame by tile: hot spot, dark edges. In each band the logarithms of cells are split
 * into what belongs to the cover (its bin) and what belongs to
 * the place (tile), by alternating least squares, and the place's part is smoothed by local
 * parabolas. Light is taken to be common to all bands: the bands'
 * surfaces are averaged by how little the ground itself scatters about them, since covers that
 * share a bin can be mistaken for light in one band
 * and not in another.
 * @param counts tile, then bin; @param sums of logarithms by band, each laid out like counts;
 * @returns TONE_TILES² logarithms with mean 0
 */
export function frameLight(
  counts: ArrayLike<number>,
  sums: readonly ArrayLike<number>[],
): Float64Array {
  const period = TONE_TILES * TONE_TILES;
  const weight = new Float64Array(period);
  const out = new Float64Array(period);
  for (let t = 0; t < period; t++) {
    for (let b = 0; b < TONE_BINS; b++) {
      weight[t]! += counts[t * TONE_BINS + b]!;
    }
  }
  const per = weight.reduce((a, b) => a + b) / period || 1;
  const trust = weight.map((w) => Math.min(1, w / (0.3 * per)));
  let total = 0;
  for (const band of sums) {
    const place = placePart(counts, band);
    const smooth = new Float64Array(period);
    for (let j = 0; j < TONE_TILES; j++) {
      for (let i = 0; i < TONE_TILES; i++) {
        smooth[j * TONE_TILES + i] = localFit(place, trust, i, j);
      }
    }
    // Where no ground shows, a parabola runs away: it stays within what was found where some does.
    const seen = [...smooth].filter((_v, t) => trust[t]! > 0.2);
    const lo = Math.min(...seen);
    const hi = Math.max(...seen);
    if (seen.length) {
      smooth.forEach((value, t) => {
        smooth[t] = Math.max(lo, Math.min(hi, value));
      });
    }
    let scatter = 0;
    let n = 0;
    place.forEach((value, t) => {
      scatter += trust[t]! * (value - smooth[t]!) ** 2;
      n += trust[t]!;
    });
    const w = 1 / (scatter / (n || 1) + 1e-8);
    total += w;
    smooth.forEach((value, t) => {
      out[t]! += w * value;
    });
  }
  let s = 0;
  let n = 0;
  out.forEach((value, t) => {
    s += value * weight[t]!;
    n += weight[t]!;
  });
  return out.map((value) => (n ? (value - s / n) / total : 0));
}
/** What belongs to each tile, of one band. */
function placePart(counts: ArrayLike<number>, sums: ArrayLike<number>): Float64Array {
  const period = TONE_TILES * TONE_TILES;
  const BLOCK_SIDE = TONE_BINS;
  const cover = new Float64Array(BLOCK_SIDE);
  const place = new Float64Array(period);
  for (let round = 0; round < 12; round++) {
    for (let b = 0; b < BLOCK_SIDE; b++) {
      let s = 0;
      let n = 0;
      for (let t = 0; t < period; t++) {
        const c = counts[t * BLOCK_SIDE + b]!;
        s += sums[t * BLOCK_SIDE + b]! - c * place[t]!;
        n += c;
      }
      cover[b] = n ? s / n : 0;
    }
    for (let t = 0; t < period; t++) {
      let s = 0;
      let n = 0;
      for (let b = 0; b < BLOCK_SIDE; b++) {
        const c = counts[t * BLOCK_SIDE + b]!;
        s += sums[t * BLOCK_SIDE + b]! - c * cover[b]!;
        n += c;
      }
      place[t] = n ? s / n : 0;
    }
  }
  return place;
}

/** Reach of the bell by which tiles are weighed, in tiles. */
const BELL = 2;
/**
 * Value at a tile of the parabola that fits the tiles around it best; of the plane, or of the mean,
 * where too few tiles show ground.
 */
function localFit(place: Float64Array, trust: Float64Array, i: number, j: number): number {
  for (const terms of [6, 3, 1]) {
    const normal = Array.from({ length: terms }, () => new Array<number>(terms).fill(0));
    const y = new Array<number>(terms).fill(0);
    let tiles = 0;
    for (let squares = 0; squares < TONE_TILES; squares++) {
      for (let position = 0; position < TONE_TILES; position++) {
        const across = (position - i) / BELL;
        const value = (squares - j) / BELL;
        const w =
          trust[squares * TONE_TILES + position]! *
          Math.exp(-(across * across + value * value) / 2);
        if (w < 1e-4) {
          continue;
        }
        if (w > 0.05) {
          tiles++;
        }
        const x = [1, across, value, across * across, across * value, value * value];
        for (let a = 0; a < terms; a++) {
          y[a]! += w * x[a]! * place[squares * TONE_TILES + position]!;
          for (let b = 0; b < terms; b++) {
            normal[a]![b]! += w * x[a]! * x[b]!;
          }
        }
      }
    }
    if (terms > 1 && tiles < 5 * terms) {
      continue;
    }
    if (!(normal[0]![0]! > 1e-3)) {
      return 0;
    }
    for (let a = 1; a < terms; a++) {
      normal[a]![a]! += 1e-3 * normal[0]![0]!;
    }
    return solve(new Matrix(normal), Matrix.columnVector(y)).get(0, 0);
  }
  return 0;
}

/**
 * Weights of a uniform cubic B-spline for a place u in [0, 1) between the second and the third of
 * four.
 */
const spline = (across: number): [number, number, number, number] => [
  (1 - across) ** 3 / 6,
  (3 * across ** 3 - 6 * across * across + 4) / 6,
  (-3 * across ** 3 + 3 * across * across + 3 * across + 1) / 6,
  across ** 3 / 6,
];
/**
 * Light at a place of the frame, x and y in tiles from the outer corner: smooth to the second
 * derivative, so that no tile can be seen.
 */
export function lightAt(light: Float64Array, x: number, y: number): number {
  const across = x - 0.5;
  const value = y - 0.5;
  const i = Math.floor(across);
  const j = Math.floor(value);
  const wx = spline(across - i);
  const wy = spline(value - j);
  const at = (k: number) => Math.max(0, Math.min(TONE_TILES - 1, k));
  let s = 0;
  for (let squares = 0; squares < 4; squares++) {
    for (let position = 0; position < 4; position++) {
      s +=
        wx[position]! *
        wy[squares]! *
        light[at(j + squares - 1) * TONE_TILES + at(i + position - 1)]!;
    }
  }
  return s;
}

/** Sums over the cells that two frames share, of one band. */
export interface Overlap {
  a: number;
  b: number;
  n: number;
  sa: number;
  sb: number;
  saa: number;
  sbb: number;
  sab: number;
}
export interface Tone {
  gain: number;
  offset: number;
}
/**
 * Gains and offsets that bring frames to one level and contrast, by least squares over all overlaps
 * (means and spreads of both sides are to agree, weighted by
 * cells), with one frame as it is. Frames that overlap with nothing stay as they are.
 */
export function balance(frames: number, overlaps: readonly Overlap[], anchor: number): Tone[] {
  const used = overlaps.filter((overlap) => overlap.n >= 50);
  const reached = new Set([anchor]);
  for (let more = true; more;) {
    more = false;
    for (const overlap of used) {
      if (reached.has(overlap.a) !== reached.has(overlap.b)) {
        reached.add(overlap.a);
        reached.add(overlap.b);
        more = true;
      }
    }
  }
  const free = [...reached].filter((frame) => frame !== anchor);
  const rows: number[][] = [];
  const want: number[] = [];
  if (free.length === 0) {
    return Array.from({ length: frames }, () => ({ gain: 1, offset: 0 }));
  }
  const put = (w: number, parts: { frame: number; gain: number; offset: number }[]) => {
    const row = new Array<number>(free.length * 2).fill(0);
    let right = 0;
    for (const ownPart of parts) {
      const k = free.indexOf(ownPart.frame);
      if (k < 0) {
        right -= w * ownPart.gain;
      } else {
        row[2 * k]! += w * ownPart.gain;
        row[2 * k + 1]! += w * ownPart.offset;
      }
    }
    rows.push(row);
    want.push(right);
  };
  for (const overlap of used.filter((x) => reached.has(x.a))) {
    const w = Math.sqrt(overlap.n);
    const ma = overlap.sa / overlap.n;
    const mb = overlap.sb / overlap.n;
    const da = Math.sqrt(Math.max(0, overlap.saa / overlap.n - ma * ma));
    const db = Math.sqrt(Math.max(0, overlap.sbb / overlap.n - mb * mb));
    put(w, [
      { frame: overlap.a, gain: ma, offset: 1 },
      { frame: overlap.b, gain: -mb, offset: -1 },
    ]);
    put(w, [
      { frame: overlap.a, gain: da, offset: 0 },
      { frame: overlap.b, gain: -db, offset: 0 },
    ]);
  }
  const x = solve(new Matrix(rows), Matrix.columnVector(want), true).to1DArray();
  return Array.from({ length: frames }, (_v, frame) => {
    const k = free.indexOf(frame);
    return k < 0 || !(x[2 * k]! > 0.1 && x[2 * k]! < 10)
      ? { gain: 1, offset: 0 }
      : { gain: x[2 * k]!, offset: x[2 * k + 1]! };
  });
}
/** Root mean square difference of two frames over what they share, each brought by its tone. */
export function overlapRms(overlap: Overlap, tone: Tone, b: Tone): number {
  const k = tone.offset - b.offset;
  return Math.sqrt(
    Math.max(
      0,
      (tone.gain ** 2 * overlap.saa +
        b.gain ** 2 * overlap.sbb -
        2 * tone.gain * b.gain * overlap.sab +
        2 * k * (tone.gain * overlap.sa - b.gain * overlap.sb)) /
        overlap.n +
        k * k,
    ),
  );
}

/**
 * How far each cell is from the nearest cell that is not valid, in cells, up to `most`; past the
 * window everything counts as valid.
 * Chamfer distance (1, √2), two passes; at most 8 % off the true one.
 */
export function depthInside(
  valid: Uint8Array,
  width: number,
  height: number,
  most: number,
): Float32Array {
  const difference = new Float32Array(width * height);
  const SQRT2 = Math.SQRT2;
  for (let i = 0; i < difference.length; i++) {
    difference[i] = valid[i] ? most : 0;
  }
  const take = (i: number, c: number, r: number, dc: number, dr: number, far: number) => {
    const cc = c + dc;
    const rr = r + dr;
    if (cc >= 0 && rr >= 0 && cc < width && rr < height) {
      const value = difference[rr * width + cc]! + far;
      if (value < difference[i]!) {
        difference[i] = value;
      }
    }
  };
  for (let r = 0, i = 0; r < height; r++) {
    for (let c = 0; c < width; c++, i++) {
      if (difference[i] === 0) {
        continue;
      }
      take(i, c, r, -1, 0, 1);
      take(i, c, r, 0, -1, 1);
      take(i, c, r, -1, -1, SQRT2);
      take(i, c, r, 1, -1, SQRT2);
    }
  }
  for (let r = height - 1, i = width * height - 1; r >= 0; r--) {
    for (let c = width - 1; c >= 0; c--, i--) {
      if (difference[i] === 0) {
        continue;
      }
      take(i, c, r, 1, 0, 1);
      take(i, c, r, 0, 1, 1);
      take(i, c, r, 1, 1, SQRT2);
      take(i, c, r, -1, 1, SQRT2);
    }
  }
  return difference;
}
