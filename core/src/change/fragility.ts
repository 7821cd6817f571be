import { type Histogram, histogramTotal } from "../raster/histogram";
import type { Operator } from "./rules";

/**
 * Share of the counted cells, 0 to 1, on the side of a threshold that a comparison takes; linear
 * inside a bin. NaN for an empty histogram.
 */
export function shareBeyond(h: Histogram, op: Operator, at: number): number {
  const total = histogramTotal(h);
  const k = ((at - h.min) / (h.max - h.min)) * h.counts.length;
  if (!(total > 0)) {
    return NaN;
  }
  let below = h.below;
  for (let i = 0; i < h.counts.length && i < k; i++) {
    below += h.counts[i]! * Math.min(1, k - i);
  }
  if (at > h.max) {
    below = total - h.above;
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
export function fragility(h: Histogram, op: Operator, at: number, step: number): Fragility {
  const share = shareBeyond(h, op, at);
  const lower = shareBeyond(h, op, at - step);
  const higher = shareBeyond(h, op, at + step);
  return { share, lower, higher, swing: share > 0 ? Math.abs(higher - lower) / share : Infinity };
}
