import { Matrix, determinant, inverse } from "ml-matrix";
import { invertible } from "./gaussian";
import type { Signature } from "./signature";

/** How far two classes lie apart. */
export interface Separability {
  /** Jeffries–Matusita distance, 0 (the same) to 2 (no overlap). */
  jeffriesMatusita: number;
  /** Transformed divergence, 0 to 2. */
  transformedDivergence: number;
}

const column = (values: Float64Array): Matrix => Matrix.columnVector([...values]);

/** vᵀ M v. */
const quadratic = (vector: Matrix, matrix: Matrix): number =>
  vector.transpose().mmul(matrix).mmul(vector).get(0, 0);

/**
 * Bhattacharyya distance of two normal distributions: ⅛ Δᵀ Σ⁻¹ Δ + ½ ln(|Σ| ÷ √(|Σ₁||Σ₂|)), Σ the
 * mean of both covariances.
 */
function bhattacharyya(apart: Matrix, first: Matrix, second: Matrix): number {
  const mean = Matrix.add(first, second).mul(0.5);
  const spread = determinant(mean) / Math.sqrt(determinant(first) * determinant(second));
  return quadratic(apart, inverse(mean)) / 8 + 0.5 * Math.log(spread);
}

/** Divergence: ½ tr((Σ₁ − Σ₂)(Σ₂⁻¹ − Σ₁⁻¹)) + ½ Δᵀ (Σ₁⁻¹ + Σ₂⁻¹) Δ. */
function divergence(apart: Matrix, first: Matrix, second: Matrix): number {
  const [firstInverse, secondInverse] = [inverse(first), inverse(second)];
  const shapes = Matrix.sub(first, second).mmul(Matrix.sub(secondInverse, firstInverse));
  const places = quadratic(apart, Matrix.add(firstInverse, secondInverse));
  return 0.5 * (shapes.trace() + places);
}

/**
 * How far two classes lie apart as normal distributions. Both measures are symmetric, nought for a
 * class and itself, and near 2 where hardly a cell could be taken for one of the other.
 * Source: Swain & Davis 1978, chapter 3 (in the scale up to 2).
 * @param within variances by band within all classes, for those of too few cells
 * @throws InputError where a band is constant in every class
 */
export function separability(
  first: Signature,
  second: Signature,
  within: Float64Array,
): Separability {
  const bands = first.mean.length;
  // In units of the spread within classes determinants neither vanish nor overflow.
  const scale = within.map((variance) => 1 / Math.sqrt(variance || 1));
  const scaled = (signature: Signature): Matrix => {
    const { covariance } = invertible(signature, within);
    return Matrix.from1DArray(
      bands,
      bands,
      covariance.map((value, at) => value * scale[Math.floor(at / bands)]! * scale[at % bands]!),
    );
  };
  const apart = column(first.mean.map((mean, b) => (mean - second.mean[b]!) * scale[b]!));
  const [one, other] = [scaled(first), scaled(second)];
  return {
    jeffriesMatusita: 2 * (1 - Math.exp(-Math.max(0, bhattacharyya(apart, one, other)))),
    transformedDivergence: 2 * (1 - Math.exp(-Math.max(0, divergence(apart, one, other)) / 8)),
  };
}
