import {
  type Histogram,
  addToHistogram,
  binCentre,
  emptyHistogram,
  histogramTotal,
} from "../../raster/histogram";
import { ashmanD } from "../bimodal";
import { shareBeyond } from "../fragility";
import { otsu } from "../otsu";

/** How well a threshold parts two heaps of a histogram. */
export interface Heaps {
  /** Ashman's D of both sides: over 2 they are two heaps. */
  d: number;
  /** How deep the valley between them lies: 0 level with the lower peak, 1 empty. */
  valley: number;
  /** Share of the smaller side, 0 to 1. */
  share: number;
  /** How far the thresholds of two halves of the data lie apart; null where halves are not known. */
  halves: number | null;
  /** How much of what the threshold takes a step either way changes, as a share of it. */
  swing: number;
}

/** Bins on either side that a peak or a valley is the mean of. */
const SMOOTH = 3;
/** Two heaps: how far apart, how deep the valley, how little a step changes, and how like halves. */
export const TWO_HEAPS = { d: 2, valley: 0.2, swing: 0.5 } as const;

/** What a threshold has to show for itself. @param step of the layer, in its unit */
export function heapsAt(
  histogram: Histogram,
  at: number,
  step: number,
  halves: readonly Histogram[] = [],
): Heaps {
  const { d, share } = ashmanD(histogram, at);
  const smaller = shareBeyond(histogram, "<", at) < 0.5 ? ("<" as const) : (">" as const);
  const own = shareBeyond(histogram, smaller, at);
  const swing =
    Math.abs(
      shareBeyond(histogram, smaller, at + step) - shareBeyond(histogram, smaller, at - step),
    ) / own;
  return { d, valley: valleyAt(histogram, at), share, halves: betweenHalves(halves), swing };
}

/** Whether a threshold lies between two heaps. */
export const isBetweenHeaps = ({ d, valley }: Heaps): boolean =>
  d >= TWO_HEAPS.d && valley >= TWO_HEAPS.valley;

function smoothed({ counts }: Histogram): number[] {
  return counts.map((_, i) => {
    let sum = 0;
    let n = 0;
    for (let k = Math.max(0, i - SMOOTH); k <= Math.min(counts.length - 1, i + SMOOTH); k++) {
      sum += counts[k]!;
      n++;
    }
    return sum / n;
  });
}

/** Depth of the lowest place between the highest of either side. */
function valleyAt(histogram: Histogram, at: number): number {
  const smooth = smoothed(histogram);
  const highest = (holds: (x: number) => boolean) =>
    smooth.reduce(
      (best, value, i) => (holds(binCentre(histogram, i)) && value > smooth[best]! ? i : best),
      smooth.findIndex((_, i) => holds(binCentre(histogram, i))),
    );
  const left = highest((x) => x < at);
  const right = highest((x) => x >= at);
  if (left < 0 || right < 0) {
    return 0;
  }
  const lower = Math.min(smooth[left]!, smooth[right]!);
  const lowest = Math.min(...smooth.slice(left, right + 1));
  return lower > 0 ? 1 - lowest / lower : 0;
}

function betweenHalves(halves: readonly Histogram[]): number | null {
  if (halves.length < 2 || halves.some((half) => histogramTotal(half) === 0)) {
    return null;
  }
  const [first, second] = halves.map(otsu);
  return Number.isFinite(first) && Number.isFinite(second) ? Math.abs(first! - second!) : null;
}

/** Side of the squares that the data is halved by, cells. */
const HALF_SQUARE = 32;

/** A histogram of cells and one of each half of them, by squares like those of a chessboard. */
export class HalvedHistogram {
  readonly whole: Histogram;
  readonly halves: [Histogram, Histogram];

  constructor(from: number, to: number, bins: number) {
    this.whole = emptyHistogram(from, to, bins);
    this.halves = [emptyHistogram(from, to, bins), emptyHistogram(from, to, bins)];
  }

  /** Counts the cells of a window; NaN is passed over. */
  add(cells: Float32Array, width: number): void {
    addToHistogram(this.whole, cells);
    this.halves.forEach((half, k) => {
      addToHistogram(
        half,
        cells.map((value, i) => {
          const col = Math.floor((i % width) / HALF_SQUARE);
          const row = Math.floor(i / width / HALF_SQUARE);
          return (col + row) % 2 === k ? value : NaN;
        }),
      );
    });
  }
}
