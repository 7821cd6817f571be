import { CholeskyDecomposition, Matrix, inverse } from "ml-matrix";
import { randomFrom } from "../classify/random";

/** Cells of `size` values each, one after the other; every value a number. */
export interface Sample {
  values: Float64Array;
  size: number;
}

/** One normal distribution of a mixture. */
export interface Lump {
  /** Share of the mixture's cells. */
  weight: number;
  mean: Float64Array;
  /** Inverse of the lower Cholesky factor of the covariance, size x size, row by row. */
  whitening: Float64Array;
  /** Logarithm of the weight over the root of the covariance's determinant. */
  logScale: number;
}

/** Several normal distributions that describe cells together. */
export type Mixture = Lump[];

/** Lumps that a mixture has at the most; it has fewer where there are few cells for each. */
const MOST_LUMPS = 4;
/** Cells for each lump and value at the least. */
const CELLS_EACH = 20;
const ROUNDS = 25;
/**
 * Added to every variance, of values whose spread over the whole image is one: what two steps of a
 * value differ by is no evidence.
 */
const LEAST_VARIANCE = 1e-3;

/**
 * Squared length of what a lump makes of a cell's difference from its mean.
 * @param most beyond it any number beyond it will do
 */
function distanceSquared(
  { mean, whitening }: Lump,
  values: Float64Array,
  at: number,
  most: number,
): number {
  const size = mean.length;
  let sum = 0;
  for (let a = 0, row = 0; a < size && sum <= most; a++, row += size) {
    let whitened = 0;
    for (let b = 0; b <= a; b++) {
      whitened += whitening[row + b]! * (values[at + b]! - mean[b]!);
    }
    sum += whitened * whitened;
  }
  return sum;
}

/** @param covariance size x size, row by row */
function lumpOf(weight: number, mean: Float64Array, covariance: Float64Array): Lump {
  const size = mean.length;
  const rows = Matrix.from1DArray(size, size, covariance);
  for (let b = 0; b < size; b++) {
    rows.set(b, b, rows.get(b, b) + LEAST_VARIANCE);
  }
  const factor = new CholeskyDecomposition(rows).lowerTriangularMatrix;
  let logRoot = 0;
  for (let b = 0; b < size; b++) {
    logRoot += Math.log(factor.get(b, b));
  }
  return {
    weight,
    mean,
    whitening: Float64Array.from(inverse(factor).to1DArray()),
    logScale: Math.log(weight) - logRoot,
  };
}

/** Mean and covariance of cells, each counted by its weight. @returns null where all weights are nought */
function weightedLump(
  { values, size }: Sample,
  weights: Float64Array,
  cells: number,
): { lump: Lump } | null {
  let total = 0;
  const mean = new Float64Array(size);
  for (let i = 0; i < cells; i++) {
    total += weights[i]!;
    for (let b = 0; b < size; b++) {
      mean[b]! += weights[i]! * values[i * size + b]!;
    }
  }
  if (!(total > 1e-9)) {
    return null;
  }
  for (let b = 0; b < size; b++) {
    mean[b]! /= total;
  }
  const covariance = new Float64Array(size * size);
  for (let i = 0; i < cells; i++) {
    for (let a = 0; a < size; a++) {
      const off = weights[i]! * (values[i * size + a]! - mean[a]!);
      for (let b = 0; b <= a; b++) {
        covariance[a * size + b]! += (off * (values[i * size + b]! - mean[b]!)) / total;
      }
    }
  }
  for (let a = 0; a < size; a++) {
    for (let b = 0; b < a; b++) {
      covariance[b * size + a] = covariance[a * size + b]!;
    }
  }
  return { lump: lumpOf(total / cells, mean, covariance) };
}

/** Cells that lie far apart, one for each lump (k-means++; Arthur & Vassilvitskii 2007). */
function farApart({ values, size }: Sample, count: number, random: () => number): number[] {
  const cells = values.length / size;
  const squared = (i: number, j: number) => {
    let sum = 0;
    for (let b = 0; b < size; b++) {
      sum += (values[i * size + b]! - values[j * size + b]!) ** 2;
    }
    return sum;
  };
  const found = [Math.floor(random() * cells)];
  const nearest = Float64Array.from({ length: cells }, (_, i) => squared(i, found[0]!));
  while (found.length < count) {
    let left = random() * nearest.reduce((sum, one) => sum + one, 0);
    const at = nearest.findIndex((one) => (left -= one) <= 0);
    const next = at < 0 ? cells - 1 : at;
    found.push(next);
    for (let i = 0; i < cells; i++) {
      nearest[i] = Math.min(nearest[i]!, squared(i, next));
    }
  }
  return found;
}

/** How much each cell belongs to each lump. @returns by lump, then by cell */
function sharesOf(mixture: Mixture, { values, size }: Sample): Float64Array[] {
  const cells = values.length / size;
  const shares = mixture.map(() => new Float64Array(cells));
  for (let i = 0; i < cells; i++) {
    let top = -Infinity;
    mixture.forEach((lump, k) => {
      const log = lump.logScale - 0.5 * distanceSquared(lump, values, i * size, Infinity);
      shares[k]![i] = log;
      top = Math.max(top, log);
    });
    let sum = 0;
    for (const share of shares) {
      share[i] = Math.exp(share[i]! - top);
      sum += share[i]!;
    }
    for (const share of shares) {
      share[i]! /= sum;
    }
  }
  return shares;
}

/**
 * Normal distributions that describe cells together, found by expectation and maximisation (Dempster,
 * Laird & Rubin 1977) from cells that lie far apart; the same for the same cells.
 * @param sample values whose spread over the whole image is one; one cell at least
 */
export function fitMixture(sample: Sample): Mixture {
  const cells = sample.values.length / sample.size;
  const all = weightedLump(sample, new Float64Array(cells).fill(1), cells)!.lump;
  const count = Math.min(MOST_LUMPS, Math.floor(cells / (CELLS_EACH * sample.size)));
  if (count < 2) {
    return [all];
  }
  let mixture: Mixture = farApart(sample, count, randomFrom(1)).map((i) => ({
    ...all,
    mean: sample.values.slice(i * sample.size, (i + 1) * sample.size),
    whitening: all.whitening.map((value) => value * Math.sqrt(count)),
  }));
  for (let round = 0; round < ROUNDS; round++) {
    mixture = sharesOf(mixture, sample).flatMap((shares) => {
      const found = weightedLump(sample, shares, cells);
      return found ? [found.lump] : [];
    });
  }
  return mixture;
}

/** One normal distribution of all cells. */
export const fitOne = (sample: Sample): Mixture => {
  const cells = sample.values.length / sample.size;
  return [weightedLump(sample, new Float64Array(cells).fill(1), cells)!.lump];
};

/**
 * Logarithm of the density at a cell, but for the constant that all densities of as many values have in
 * common.
 * @param least lumps whose density has a lower logarithm are left out; −Infinity where all are
 */
export function logDensity(mixture: Mixture, values: Float64Array, least = -Infinity): number {
  let top = -Infinity;
  let sum = 0;
  for (const lump of mixture) {
    const log = lump.logScale - 0.5 * distanceSquared(lump, values, 0, 2 * (lump.logScale - least));
    if (log < least) {
      continue;
    }
    if (log > top) {
      sum = sum * Math.exp(top - log) + 1;
      top = log;
    } else {
      sum += Math.exp(log - top);
    }
  }
  return sum > 0 ? top + Math.log(sum) : -Infinity;
}
