import { CholeskyDecomposition, Matrix, inverse } from "ml-matrix";
import { InputError } from "../errors";
import type { Signature } from "./signature";

/** A class as a normal distribution. */
export interface GaussianClass {
  mean: Float64Array;
  /**
   * Inverse of the lower Cholesky factor of the covariance, d x d, row by row: what it makes of a
   * difference from the mean has a squared length that is Mahalanobis' distance squared.
   */
  whitening: Float64Array;
  /** Natural logarithm of the determinant of the covariance. */
  logDeterminant: number;
  /** Share of the other classes' spread in its covariance; nought where its own cells sufficed. */
  lent: number;
}

/** A pivot below this share of its variance is lost in rounding. */
const LEAST_PIVOT = 1e-10;
/** Shares that are tried, the least first, where a covariance cannot be inverted. */
const SHARES = [1e-6, 1e-4, 1e-2, 0.1, 0.5, 1];

/**
 * Variances by band within the classes, over all their cells together.
 * @returns by band; nought where a band is constant in every class
 */
export function variancesWithin(signatures: readonly Signature[]): Float64Array {
  const bands = signatures[0]!.mean.length;
  const out = new Float64Array(bands);
  let degrees = 0;
  for (const { count, covariance } of signatures) {
    degrees += count - 1;
    for (let b = 0; b < bands; b++) {
      out[b]! += (count - 1) * covariance[b * bands + b]!;
    }
  }
  return out.map((sum) => sum / Math.max(1, degrees));
}

/** The lower Cholesky factor of a covariance; null where it is singular as far as numbers go. */
function factorOf(covariance: Float64Array, bands: number): Matrix | null {
  const rows = Matrix.from1DArray(bands, bands, covariance);
  const decomposition = new CholeskyDecomposition(rows);
  if (!decomposition.isPositiveDefinite()) {
    return null;
  }
  const factor = decomposition.lowerTriangularMatrix;
  for (let b = 0; b < bands; b++) {
    if (!(factor.get(b, b) ** 2 > LEAST_PIVOT * covariance[b * bands + b]!)) {
      return null;
    }
  }
  return factor;
}

/** A covariance that takes a share of what other classes spread, band by band. */
const lending = (covariance: Float64Array, within: Float64Array, share: number): Float64Array =>
  covariance.map((value, at) => {
    const row = Math.floor(at / within.length);
    const isOwn = at % within.length === row;
    return (1 - share) * value + (isOwn ? share * within[row]! : 0);
  });

/**
 * The covariance of a class in a form that can be inverted, with its factor. A class of more cells
 * than bands keeps its own. Where that is singular, it takes the least share of the variances within
 * all classes that mends it; where there are no more cells than bands, d ÷ (n + d) of them at least.
 * Source: after Friedman 1989 (regularised discriminant analysis), with variances within the classes
 * in place of his multiple of the identity, so that bands keep their units.
 * @param within variances by band within all classes
 * @throws InputError where a band is constant in every class
 */
export function invertible(
  { count, covariance, mean }: Signature,
  within: Float64Array,
): { covariance: Float64Array; factor: Matrix; lent: number } {
  const bands = mean.length;
  const own = count > bands ? factorOf(covariance, bands) : null;
  if (own) {
    return { covariance, factor: own, lent: 0 };
  }
  const constant = within.findIndex((variance) => !(variance > 0));
  if (constant >= 0) {
    throw new InputError(
      `Input ${constant + 1} has one value in all training cells of every class`,
      "inputs",
      "Leave it out, or train on ground where it differs.",
    );
  }
  const least = count > bands ? 0 : bands / (count + bands);
  for (const share of [least, ...SHARES.filter((one) => one > least)]) {
    const lent = lending(covariance, within, share);
    const factor = factorOf(lent, bands);
    if (factor) {
      return { covariance: lent, factor, lent: share };
    }
  }
  throw new InputError("The training cells of a class have no finite spread", "training");
}

/** A class as a normal distribution. @throws InputError where a band is constant in every class */
export function gaussianOf(signature: Signature, within: Float64Array): GaussianClass {
  const { factor, lent } = invertible(signature, within);
  const bands = signature.mean.length;
  let logDeterminant = 0;
  for (let b = 0; b < bands; b++) {
    logDeterminant += 2 * Math.log(factor.get(b, b));
  }
  const whitening = Float64Array.from(inverse(factor).to1DArray());
  return { mean: signature.mean, whitening, logDeterminant, lent };
}

/** Squared Mahalanobis distance of a cell, whose values begin at `at`, from a class. */
export function mahalanobisSquared(
  { mean, whitening }: GaussianClass,
  values: ArrayLike<number>,
  at = 0,
): number {
  const bands = mean.length;
  let sum = 0;
  for (let a = 0; a < bands; a++) {
    let whitened = 0;
    for (let b = 0; b <= a; b++) {
      whitened += whitening[a * bands + b]! * (values[at + b]! - mean[b]!);
    }
    sum += whitened * whitened;
  }
  return sum;
}

/**
 * Priors that sum to one. @throws InputError where one is negative or no number, or all are nought
 */
export function normalPriors(priors: readonly number[]): number[] {
  const wrong = priors.findIndex((prior) => !(prior >= 0 && Number.isFinite(prior)));
  if (wrong >= 0) {
    throw new InputError(
      `The prior of class ${wrong + 1} is ${priors[wrong]}`,
      "priors",
      "Give a number of nought or more.",
    );
  }
  const sum = priors.reduce((total, prior) => total + prior, 0);
  if (sum === 0) {
    throw new InputError(
      "All priors are nought: no class could be chosen",
      "priors",
      "Give one class at least a prior above nought.",
    );
  }
  return priors.map((prior) => prior / sum);
}

/**
 * Probabilities of the classes for one cell, which sum to one: prior times normal density, over the
 * sum of all. Far from every class they come from differences of logarithms, and stay numbers.
 * @param priors as `normalPriors` gives them; a class of prior nought has probability nought
 * @param out by class; NaN where a value is none
 */
export function posteriors(
  classes: readonly GaussianClass[],
  priors: readonly number[],
  values: ArrayLike<number>,
  out: Float64Array,
  at = 0,
): void {
  let top = -Infinity;
  classes.forEach((one, k) => {
    const distance = mahalanobisSquared(one, values, at);
    out[k] = Math.log(priors[k]!) - 0.5 * (one.logDeterminant + distance);
    top = out[k] > top || Number.isNaN(out[k]) ? out[k] : top;
  });
  let sum = 0;
  for (let k = 0; k < classes.length; k++) {
    out[k] = Math.exp(out[k]! - top);
    sum += out[k]!;
  }
  for (let k = 0; k < classes.length; k++) {
    out[k]! /= sum;
  }
}
