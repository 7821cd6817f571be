import { InputError } from "../errors";

/**
 * Counts in equal bins over [min, max]. Values outside go to `below` and `above`, so nothing
 * disappears. Bin i covers
 * [min + i·width, min + (i+1)·width); the last one takes max as well.
 */
export interface Histogram {
  min: number;
  max: number;
  counts: number[];
  below: number;
  above: number;
}

export function emptyHistogram(min: number, max: number, bins = 256): Histogram {
  if (!(max > min)) {
    throw new InputError(
      `A histogram needs a lower end below its upper end, not ${min} to ${max}`,
      "range",
    );
  }
  if (!Number.isInteger(bins) || bins < 2) {
    throw new InputError(`A histogram needs two bins or more, not ${bins}`, "bins");
  }
  return { min, max, counts: new Array<number>(bins).fill(0), below: 0, above: 0 };
}

/** Counts cells; NaN is passed over. */
export function addToHistogram(
  h: Histogram,
  cells: ArrayLike<number>,
  keep?: ArrayLike<number>,
): void {
  const { min, max, counts } = h;
  const bins = counts.length;
  const scale = bins / (max - min);
  for (let i = 0, n = cells.length; i < n; i++) {
    const v = cells[i]!;
    if (v !== v || (keep && keep[i] !== 1)) {
      continue;
    }
    if (v < min) {
      h.below++;
    } else if (v > max) {
      h.above++;
    } else {
      counts[Math.min(bins - 1, Math.floor((v - min) * scale))]!++;
    }
  }
}

export function mergeHistograms(a: Histogram, b: Histogram): Histogram {
  if (a.min !== b.min || a.max !== b.max || a.counts.length !== b.counts.length) {
    throw new InputError("Only histograms with the same bins can be joined", "range");
  }
  return {
    ...a,
    counts: a.counts.map((c, i) => c + b.counts[i]!),
    below: a.below + b.below,
    above: a.above + b.above,
  };
}

export const histogramTotal = (h: Histogram): number =>
  h.counts.reduce((s, c) => s + c, h.below + h.above);
export const binEdge = (h: Histogram, i: number): number =>
  h.min + ((h.max - h.min) * i) / h.counts.length;
export const binCentre = (h: Histogram, i: number): number => binEdge(h, i + 0.5);

/**
 * Mean and standard deviation of what was counted inside the bins, each cell at the middle of its
 * bin; NaN when nothing was.
 */
export function momentsOf(h: Histogram): { mean: number; deviation: number } {
  let n = 0;
  let s = 0;
  let q = 0;
  h.counts.forEach((c, i) => {
    const x = binCentre(h, i);
    n += c;
    s += c * x;
    q += c * x * x;
  });
  const mean = s / n;
  return { mean, deviation: Math.sqrt(Math.max(0, q / n - mean * mean)) };
}

/**
 * Value below which the share p (0–1) of all counted cells lies, linear inside a bin. NaN when
 * nothing was counted.
 */
export function quantile(h: Histogram, p: number): number {
  const total = histogramTotal(h);
  if (!(total > 0)) {
    return NaN;
  }
  let left = p * total - h.below;
  if (left <= 0) {
    return h.min;
  }
  for (let i = 0; i < h.counts.length; i++) {
    const c = h.counts[i]!;
    if (left <= c && c > 0) {
      return binEdge(h, i + left / c);
    }
    left -= c;
  }
  return h.max;
}
