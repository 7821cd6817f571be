import { type Histogram, binEdge } from "../raster/histogram";

/**
 * Minimum error threshold. Source: Kittler & Illingworth 1986: the split for which two normal
 * distributions, one a side,
 * describe the histogram best, J = 1 + 2(P0·ln σ0 + P1·ln σ1) − 2(P0·ln P0 + P1·ln P1). Exhaustive
 * over bin edges.
 *
 * Read here: a side must hold two filled bins or more, because σ = 0 makes J fall without limit; σ²
 * has the variance of a bin
 * (1/12) added for the same reason. Only inner minima are taken: where J falls all the way to an
 * end there is only one lump,
 * and the answer is NaN rather than a made-up place.
 * @returns value at a bin edge, or NaN
 */
export function minimumError(histogram: Histogram): number {
  const { counts } = histogram;
  const bins = counts.length;
  const criterion = minimumErrorCriterion(counts);
  let best = Infinity;
  let at = -1;
  for (let k = 2; k < bins - 1; k++) {
    const j = criterion[k]!;
    if (Number.isFinite(j) && j < best && innerMinimum(criterion, k)) {
      best = j;
      at = k;
    }
  }
  return at < 0 ? NaN : binEdge(histogram, at);
}

/** Whether J rises again on both sides before the end of where it is defined. */
function innerMinimum(criterion: Float64Array, k: number): boolean {
  const rises = (step: number) => {
    for (let i = k + step; i > 0 && i < criterion.length; i += step) {
      if (!Number.isFinite(criterion[i]!)) {
        return false;
      }
      if (criterion[i]! > criterion[k]! + 1e-9) {
        return true;
      }
      if (criterion[i]! < criterion[k]! - 1e-12) {
        return false;
      }
    }
    return false;
  };
  return rises(-1) && rises(1);
}

/**
 * J for a split below bin k, k = 0 … bins; NaN where a side is empty or a single bin. Moments are
 * in bins.
 */
export function minimumErrorCriterion(counts: ArrayLike<number>): Float64Array {
  const bins = counts.length;
  const criterion = new Float64Array(bins + 1).fill(NaN);
  let total = 0;
  let s1 = 0;
  let s2 = 0;
  let filled = 0;
  for (let i = 0; i < bins; i++) {
    const c = counts[i]!;
    total += c;
    s1 += c * i;
    s2 += c * i * i;
    if (c) {
      filled++;
    }
  }
  let n = 0;
  let a1 = 0;
  let a2 = 0;
  let seen = 0;
  for (let k = 1; k < bins; k++) {
    const c = counts[k - 1]!;
    const x = k - 1;
    n += c;
    a1 += c * x;
    a2 += c * x * x;
    if (c) {
      seen++;
    }
    if (seen < 2 || filled - seen < 2) {
      continue;
    }
    const m = total - n;
    const P0 = n / total;
    const P1 = m / total;
    const v0 = a2 / n - (a1 / n) ** 2 + 1 / 12;
    const v1 = (s2 - a2) / m - ((s1 - a1) / m) ** 2 + 1 / 12;
    criterion[k] =
      1 + P0 * Math.log(v0) + P1 * Math.log(v1) - 2 * (P0 * Math.log(P0) + P1 * Math.log(P1));
  }
  return criterion;
}
