import { type Histogram, histogramTotal } from "../raster/histogram";
import type { Operator } from "./rules";

/**
 * Share of the counted cells, 0 to 1, on the side of a threshold that a comparison takes; linear
 * inside a bin. NaN for an empty histogram.
 */
export function shareBeyond(histogram: Histogram, op: Operator, at: number): number {
  const total = histogramTotal(histogram);
  const k = ((at - histogram.min) / (histogram.max - histogram.min)) * histogram.counts.length;
  if (!(total > 0)) {
    return NaN;
  }
  let below = histogram.below;
  for (let i = 0; i < histogram.counts.length && i < k; i++) {
    below += histogram.counts[i]! * Math.min(1, k - i);
  }
  if (at > histogram.max) {
    below = total - histogram.above;
  }
  return op[0] === "<" ? below / total : 1 - below / total;
}

/**
 * How much hangs on a threshold: the share it takes, that a step lower and a step higher, and how
 * far they lie apart beside it.
 */
export interface Fragility {
  share: number;
  lower: number;
  higher: number;
  /** Difference of the two over the share itself. */ swing: number;
}

/** How much the area beyond a threshold changes when that moves by a step either way. */
export function fragility(histogram: Histogram, op: Operator, at: number, step: number): Fragility {
  const share = shareBeyond(histogram, op, at);
  const lower = shareBeyond(histogram, op, at - step);
  const higher = shareBeyond(histogram, op, at + step);
  return { share, lower, higher, swing: share > 0 ? Math.abs(higher - lower) / share : Infinity };
}
