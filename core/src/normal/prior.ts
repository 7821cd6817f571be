import { betaQuantile } from "../accuracy/beta";

/**
 * What the variance of a cell over time is before its own dates are looked at: as if it had been estimated
 * from other dates with so many degrees of freedom. Infinite: all cells vary alike.
 */
export interface Prior {
  variance: number;
  degrees: number;
}

/** Variances by which a prior is told, at the least. */
const FEWEST = 50;
/** Degrees between which the prior's are looked for; beyond the last all cells vary alike. */
const LEAST_DEGREES = 0.5;
const MOST_DEGREES = 400;
const HALVINGS = 60;

/** Value below which a share of an F distribution lies. */
export function fQuantile(share: number, first: number, second: number): number {
  const beta = betaQuantile(share, first / 2, second / 2);
  return (second * beta) / (first * (1 - beta));
}

/** Ratio of the upper to the lower quartile of an F distribution. */
const spread = (first: number, second: number): number =>
  fQuantile(0.75, first, second) / fQuantile(0.25, first, second);

/** A quantile of sorted values. */
const quantile = (sorted: Float64Array, share: number): number =>
  sorted[Math.round(share * (sorted.length - 1))]!;

/**
 * The prior of the variances of many cells over the same number of dates, by empirical Bayes: variances of cells
 * whose own ones are scattered by an inverse chi-square law follow a scaled F distribution (Smyth 2004,
 * section 6.2). Its two numbers are found from the quartiles, so that cells which did change among the dates
 * do not widen it.
 * @param variances of single cells; those that are not over nought are left out
 * @param degrees of each of them: dates less one
 * @returns null where there are too few
 */
export function priorOf(variances: ArrayLike<number>, degrees: number): Prior | null {
  const sorted = Float64Array.from(Array.from(variances).filter((value) => value > 0)).sort();
  if (sorted.length < FEWEST) {
    return null;
  }
  const wanted = quantile(sorted, 0.75) / quantile(sorted, 0.25);
  let [low, high] = [LEAST_DEGREES, MOST_DEGREES];
  // The wider the variances lie apart, the less is known beforehand.
  if (wanted <= spread(degrees, high)) {
    low = high;
  }
  for (let k = 0; k < HALVINGS && high - low > 1e-3 * low; k++) {
    const middle = Math.sqrt(low * high);
    if (spread(degrees, middle) > wanted) {
      low = middle;
    } else {
      high = middle;
    }
  }
  const found = Math.sqrt(low * high);
  return {
    variance: quantile(sorted, 0.5) / fQuantile(0.5, degrees, found),
    degrees: found >= MOST_DEGREES * 0.999 ? Infinity : found,
  };
}
