import { CholeskyDecomposition, EigenvalueDecomposition, Matrix, inverse } from "ml-matrix";
import { InputError } from "../errors";
import { chiSquareAbove } from "./chiSquare";

/**
 * A multivariate alteration detection between two dates of the same bands; what is needed to apply
 * it to any cell.
 */
export interface Mad {
  /** Canonical correlations, the least alike pair first. */
  rho: number[];
  /**
   * By canonical pair: coefficients by band for either date, and the means by band that are taken
   * off first.
   */
  a: number[][];
  b: number[][];
  meanBefore: number[];
  meanAfter: number[];
  /** Deviation of each difference over unchanged cells, √(2(1 − ρ)). */
  sigma: number[];
  iterations: number;
  cells: number;
}

const MOST_ROUNDS = 60;
const SETTLED = 1e-4;
const LEAST_CELLS = 200;
const LEAST_SHARE = 0.01;
/** Cells that are likelier unchanged than not, which a round must leave. */
const LEAST_LIKELY = 120;

/**
 * Iteratively reweighted MAD: canonical pairs of both dates' bands; the differences of the pairs,
 * each over its own deviation, squared and summed, follow chi
 * square where nothing changed; cells count by the probability that they did not, until the
 * correlations stay.
 * Source: Nielsen 2007 ("The regularized iteratively reweighted MAD method"), without its
 * regularisation but for a ridge of 1e-8 of the mean variance.
 * @param before, after by band, cells in the same order; a cell with NaN in any band is left out
 * @param rounds 1 is plain MAD
 * @throws InputError for different numbers of bands, too few cells, or bands without variance
 */
export function irMad(
  before: readonly ArrayLike<number>[],
  after: readonly ArrayLike<number>[],
  rounds = MOST_ROUNDS,
): Mad {
  const bandCount = before.length;
  if (bandCount === 0 || after.length !== bandCount) {
    throw new InputError(
      `Both dates must have the same bands, not ${bandCount} and ${after.length}`,
      "bands",
    );
  }
  const use: number[] = [];
  const n = before[0]!.length;
  for (let i = 0; i < n; i++) {
    let s = 0;
    for (let k = 0; k < bandCount; k++) {
      s += before[k]![i]! + after[k]![i]!;
    }
    if (s - s === 0) {
      use.push(i);
    }
  }
  if (use.length < Math.max(LEAST_CELLS, 10 * bandCount)) {
    throw new InputError(
      `Only ${use.length} cells have values in all bands of both dates`,
      "bands",
      "Look for a larger part that both dates show.",
    );
  }
  const least = Math.max(LEAST_LIKELY, LEAST_SHARE * use.length);
  const unchanged = (mad: Mad) =>
    Float64Array.from(use, (i) => chiSquareAbove(madStatistic(mad, before, after, i), bandCount));
  let out = pairs(before, after, use, new Float64Array(use.length).fill(1), 1);
  let weight = rounds > 1 ? unchanged(out) : null;
  for (let round = 2; weight && round <= rounds; round++) {
    const next = pairs(before, after, use, weight, round);
    const nextWeight = unchanged(next);
    // Reweighting can shrink to next to nothing where the dates differ by noise alone: the last
    // round that leaves enough to go by stands.
    if (nextWeight.reduce((n, value) => n + (value > 0.5 ? 1 : 0), 0) < least) {
      break;
    }
    const isStill = next.rho.every((r, k) => Math.abs(r - out.rho[k]!) < SETTLED);
    out = next;
    weight = isStill ? null : nextWeight;
  }
  return out;
}

/** Weighted canonical correlation. */
function pairs(
  x: readonly ArrayLike<number>[],
  y: readonly ArrayLike<number>[],
  use: readonly number[],
  w: Float64Array,
  round: number,
): Mad {
  const bandCount = x.length;
  const all = [...x, ...y];
  const total = w.reduce((s, value) => s + value, 0);
  const mean = all.map((arrayLike) => {
    let s = 0;
    for (let j = 0; j < use.length; j++) {
      s += w[j]! * arrayLike[use[j]!]!;
    }
    return s / total;
  });
  const matrix = Matrix.zeros(2 * bandCount, 2 * bandCount);
  const diagonal = new Float64Array(2 * bandCount);
  const sums = new Float64Array(4 * bandCount * bandCount);
  for (let j = 0; j < use.length; j++) {
    const i = use[j]!;
    const wj = w[j]!;
    for (let k = 0; k < 2 * bandCount; k++) {
      diagonal[k] = all[k]![i]! - mean[k]!;
    }
    for (let k = 0; k < 2 * bandCount; k++) {
      for (let column = k; column < 2 * bandCount; column++) {
        sums[k * 2 * bandCount + column]! += wj * diagonal[k]! * diagonal[column]!;
      }
    }
  }
  for (let k = 0; k < 2 * bandCount; k++) {
    for (let column = k; column < 2 * bandCount; column++) {
      matrix.set(k, column, sums[k * 2 * bandCount + column]! / total);
      matrix.set(column, k, matrix.get(k, column));
    }
  }
  const even = [...Array(2 * bandCount).keys()].find((k) => !(matrix.get(k, k) > 0));
  if (even !== undefined) {
    throw new InputError(
      `Band ${(even % bandCount) + 1} of ${even < bandCount ? "the before" : "the after"} date has the same number everywhere`,
      "bands",
      "Leave it out.",
    );
  }
  const part = (r: number, c: number) =>
    matrix.subMatrix(r, r + bandCount - 1, c, c + bandCount - 1);
  const ridge = (m: Matrix) => m.add(Matrix.eye(bandCount).mul((1e-8 * m.trace()) / bandCount));
  const sxx = ridge(part(0, 0));
  const syy = ridge(part(bandCount, bandCount));
  const sxy = part(0, bandCount);
  const lower = new CholeskyDecomposition(sxx).lowerTriangularMatrix;
  const Li = inverse(lower);
  const inner = Li.mmul(sxy).mmul(inverse(syy)).mmul(sxy.transpose()).mmul(Li.transpose());
  const eigenvalueDecomposition = new EigenvalueDecomposition(
    inner.add(inner.transpose()).mul(0.5),
    {
      assumeSymmetric: true,
    },
  );
  const order = eigenvalueDecomposition.realEigenvalues
    .map((eigenvalue, k) => [Math.sqrt(Math.min(1, Math.max(0, eigenvalue))), k] as const)
    .sort((first, r) => first[0] - r[0]);
  const a: number[][] = [];
  const b: number[][] = [];
  const half = inverse(syy).mmul(sxy.transpose());
  for (const [, k] of order) {
    const va = Li.transpose().mmul(
      Matrix.columnVector(eigenvalueDecomposition.eigenvectorMatrix.getColumn(k)),
    );
    const vb = half.mmul(va);
    const size = Math.sqrt(vb.transpose().mmul(syy).mmul(vb).get(0, 0)) || 1;
    a.push(va.getColumn(0));
    b.push(vb.getColumn(0).map((value) => value / size));
  }
  const rho = order.map(([r]) => r);
  return {
    rho,
    a,
    b,
    meanBefore: mean.slice(0, bandCount),
    meanAfter: mean.slice(bandCount),
    sigma: rho.map((r) => Math.sqrt(Math.max(1e-12, 2 * (1 - r)))),
    iterations: round,
    cells: use.length,
  };
}

/**
 * Sum of the squared differences of the canonical pairs of one cell, each over its deviation:
 * chi-square with as many degrees as bands where nothing changed. NaN where a band has no value.
 */
export function madStatistic(
  mad: Mad,
  before: readonly ArrayLike<number>[],
  after: readonly ArrayLike<number>[],
  i: number,
): number {
  let t = 0;
  const bandCount = mad.rho.length;
  for (let k = 0; k < bandCount; k++) {
    const a = mad.a[k]!;
    const b = mad.b[k]!;
    let distance = 0;
    for (let j = 0; j < bandCount; j++) {
      distance +=
        a[j]! * (before[j]![i]! - mad.meanBefore[j]!) - b[j]! * (after[j]![i]! - mad.meanAfter[j]!);
    }
    t += (distance / mad.sigma[k]!) ** 2;
  }
  return t;
}
/** Probability that a cell did not change, 0 to 1. */
export const noChange = (
  mad: Mad,
  before: readonly ArrayLike<number>[],
  after: readonly ArrayLike<number>[],
  i: number,
): number => chiSquareAbove(madStatistic(mad, before, after, i), mad.rho.length);
