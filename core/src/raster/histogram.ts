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

/** A histogram with nothing counted. */
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
  histogram: Histogram,
  cells: ArrayLike<number>,
  keep?: ArrayLike<number>,
): void {
  const { min, max, counts } = histogram;
  const bins = counts.length;
  const scale = bins / (max - min);
  for (let i = 0, n = cells.length; i < n; i++) {
    const value = cells[i]!;
    if (value !== value || (keep && keep[i] !== 1)) {
      continue;
    }
    if (value < min) {
      histogram.below++;
    } else if (value > max) {
      histogram.above++;
    } else {
      counts[Math.min(bins - 1, Math.floor((value - min) * scale))]!++;
    }
  }
}

/**
 * Two histograms over the same bins as one.
 * @throws Error when their bins differ
 */
export function mergeHistograms(histogram: Histogram, b: Histogram): Histogram {
  if (
    histogram.min !== b.min ||
    histogram.max !== b.max ||
    histogram.counts.length !== b.counts.length
  ) {
    throw new InputError("Only histograms with the same bins can be joined", "range");
  }
  return {
    ...histogram,
    counts: histogram.counts.map((c, i) => c + b.counts[i]!),
    below: histogram.below + b.below,
    above: histogram.above + b.above,
  };
}

/** Number of values counted, those beyond either end too. */
export const histogramTotal = (histogram: Histogram): number =>
  histogram.counts.reduce((s, c) => s + c, histogram.below + histogram.above);

/** Lower edge of a bin, in the unit of the values. */
export const binEdge = (histogram: Histogram, i: number): number =>
  histogram.min + ((histogram.max - histogram.min) * i) / histogram.counts.length;

/** Middle of a bin, in the unit of the values. */
export const binCentre = (histogram: Histogram, i: number): number => binEdge(histogram, i + 0.5);

/**
 * Mean and standard deviation of what was counted inside the bins, each cell at the middle of its
 * bin; NaN when nothing was.
 */
export function momentsOf(histogram: Histogram): { mean: number; deviation: number } {
  let n = 0;
  let s = 0;
  let squares = 0;
  histogram.counts.forEach((c, i) => {
    const x = binCentre(histogram, i);
    n += c;
    s += c * x;
    squares += c * x * x;
  });
  const mean = s / n;
  return { mean, deviation: Math.sqrt(Math.max(0, squares / n - mean * mean)) };
}

/**
 * Value below which the share p (0–1) of all counted cells lies, linear inside a bin. NaN when
 * nothing was counted.
 */
export function quantile(histogram: Histogram, share: number): number {
  const total = histogramTotal(histogram);
  if (!(total > 0)) {
    return NaN;
  }
  let left = share * total - histogram.below;
  if (left <= 0) {
    return histogram.min;
  }
  for (let i = 0; i < histogram.counts.length; i++) {
    const c = histogram.counts[i]!;
    if (left <= c && c > 0) {
      return binEdge(histogram, i + left / c);
    }
    left -= c;
  }
  return histogram.max;
}

/** Of a bell curve, its deviation in units of the median distance to its middle. */
const DEVIATION_OF_MEDIAN = 1.4826;

/**
 * Median and spread of the many: the spread is the median distance to the median, in the unit of a
 * standard deviation (Hampel 1974), so that a second heap of fewer cells hardly moves either. Each
 * cell is taken at the middle of its bin; NaN when nothing was counted.
 */
export function middleOf(histogram: Histogram): { middle: number; spread: number } {
  const middle = quantile(histogram, 0.5);
  if (Number.isNaN(middle)) {
    return { middle, spread: NaN };
  }
  const { min, max, counts, below, above } = histogram;
  const distances = emptyHistogram(0, max - min, counts.length);
  counts.forEach((count, i) => {
    const bin = Math.floor(
      Math.abs(binCentre(histogram, i) - middle) / ((max - min) / counts.length),
    );
    distances.counts[Math.min(counts.length - 1, bin)]! += count;
  });
  distances.above = below + above;
  return { middle, spread: DEVIATION_OF_MEDIAN * quantile(distances, 0.5) };
}
