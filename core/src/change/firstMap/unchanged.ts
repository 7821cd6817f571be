import {
  type Histogram,
  addToHistogram,
  binCentre,
  emptyHistogram,
  histogramTotal,
} from "../../raster/histogram";

/** The middle and the spread of what did not change, in the unit of the measure. */
export interface Unchanged {
  middle: number;
  deviation: number;
}

/**
 * How far beside the middle cells tell how far unchanged ground spreads, and the spread that is
 * taken where none was counted; both in the unit of the measure.
 */
export interface Scale {
  core: number;
  none: number;
}
const DECIBELS: Scale = { core: 3, none: 1 };
/** Share of the highest peak that a peak must have to be one. */
const LEAST_PEAK = 0.25;
/** Deviations of a bell curve in its median distance from the middle. */
const MEDIAN_DISTANCE = 0.6745;

/** A histogram of change for `unchangedOf`. */
export const changeHistogram = (): Histogram => emptyHistogram(-30, 30, 480);

/**
 * The peak of a histogram of change that lies nearest to nought, and the spread about it by the
 * median distance of the cells beside it. Whatever share of a scene changed, what did not change
 * is where both dates are alike: the largest peak may be that of the change.
 * @returns nought and the usual spread where nothing was counted
 */
export function unchangedOf(histogram: Histogram, scale: Scale = DECIBELS): Unchanged {
  if (histogramTotal(histogram) === 0) {
    return { middle: 0, deviation: scale.none };
  }
  const smooth = smoothed(histogram.counts);
  const least = LEAST_PEAK * Math.max(...smooth);
  let middle = Infinity;
  for (let i = 1; i + 1 < smooth.length; i++) {
    const isPeak = smooth[i]! >= smooth[i - 1]! && smooth[i]! >= smooth[i + 1]!;
    const at = binCentre(histogram, i);
    if (isPeak && smooth[i]! >= least && Math.abs(at) < Math.abs(middle)) {
      middle = at;
    }
  }
  return Number.isFinite(middle)
    ? { middle, deviation: spreadAbout(histogram, middle, scale) }
    : { middle: 0, deviation: scale.none };
}

/** Sums of nine bins. */
function smoothed(counts: readonly number[]): number[] {
  return counts.map((_, i) => {
    let sum = 0;
    for (let k = Math.max(0, i - 4); k <= Math.min(counts.length - 1, i + 4); k++) {
      sum += counts[k]!;
    }
    return sum;
  });
}

function spreadAbout(histogram: Histogram, middle: number, { core, none }: Scale): number {
  const distances = emptyHistogram(0, core, 240);
  const width = (histogram.max - histogram.min) / histogram.counts.length;
  histogram.counts.forEach((count, i) => {
    const distance = Math.abs(binCentre(histogram, i) - middle);
    if (distance < core) {
      distances.counts[Math.floor((distance / core) * 240)]! += count;
    }
  });
  const half = histogramTotal(distances) / 2;
  let seen = 0;
  for (let i = 0; i < distances.counts.length; i++) {
    seen += distances.counts[i]!;
    if (seen >= half) {
      return Math.max(width, binCentre(distances, i)) / MEDIAN_DISTANCE;
    }
  }
  return none;
}

/** Counts the change of cells that are land on both dates. */
export function addChange(
  histogram: Histogram,
  before: Float32Array,
  after: Float32Array,
  isLand: (i: number) => boolean,
): void {
  const change = new Float32Array(before.length);
  for (let i = 0; i < change.length; i++) {
    change[i] = isLand(i) ? after[i]! - before[i]! : NaN;
  }
  addToHistogram(histogram, change);
}
