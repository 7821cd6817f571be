import { InputError } from "../errors";
import type { Points } from "./kmeans";

/** What training cells of one class come to. */
export interface Signature {
  /** Number of cells. */
  count: number;
  /** By band. */
  mean: Float64Array;
  /** Covariance over n − 1, d x d, row by row; nought where there is one cell. */
  covariance: Float64Array;
}

/**
 * Mean and covariance of cells, in two passes, so that large values with a small spread keep theirs.
 * @param points cells of one class; every value a number
 * @throws InputError where there is no cell
 */
export function signatureOf({ values, d: bands }: Points): Signature {
  const count = values.length / bands;
  if (count === 0) {
    throw new InputError("A class without a training cell has no mean", "training");
  }
  // Counted from the first cell, so that a band of one value has that value, and no spread.
  const mean = values.slice(0, bands);
  const share = 1 / count;
  for (let i = bands; i < values.length; i += bands) {
    for (let b = 0; b < bands; b++) {
      mean[b]! += (values[i + b]! - values[b]!) * share;
    }
  }
  const covariance = new Float64Array(bands * bands);
  const off = new Float64Array(bands);
  for (let i = 0; i < values.length; i += bands) {
    for (let a = 0; a < bands; a++) {
      const own = values[i + a]! - mean[a]!;
      off[a] = own;
      for (let b = 0, at = a * bands; b <= a; b++, at++) {
        covariance[at]! += own * off[b]!;
      }
    }
  }
  const over = Math.max(1, count - 1);
  for (let a = 0; a < bands; a++) {
    for (let b = 0; b <= a; b++) {
      covariance[a * bands + b]! /= over;
      covariance[b * bands + a] = covariance[a * bands + b]!;
    }
  }
  return { count, mean, covariance };
}

/** Two signatures of the same class as one, as if all their cells had been taken together. */
export function mergedSignature(first: Signature, second: Signature): Signature {
  const bands = first.mean.length;
  const count = first.count + second.count;
  const shift = first.mean.map((value, b) => second.mean[b]! - value);
  const apart = (first.count * second.count) / count;
  return {
    count,
    mean: first.mean.map((value, b) => value + (shift[b]! * second.count) / count),
    covariance: first.covariance.map((value, at) => {
      const products =
        value * Math.max(0, first.count - 1) +
        second.covariance[at]! * Math.max(0, second.count - 1) +
        apart * shift[Math.floor(at / bands)]! * shift[at % bands]!;
      return products / Math.max(1, count - 1);
    }),
  };
}
