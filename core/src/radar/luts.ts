import { InputError } from "../errors";

/** Values at some pixels of one line. */
export interface LutVector {
  line: number;
  pixels: number[];
  values: number[];
}
/** Azimuth factor of the noise for a part of the image; lines rising. */
export interface AzimuthNoise {
  firstLine: number;
  lastLine: number;
  firstSample: number;
  lastSample: number;
  lines: number[];
  values: number[];
}
/**
 * Look-up tables of one polarisation, by the product. Lines and pixels are zero-based and of the
 * full product.
 */
export interface PolarisationLuts {
  sigma: LutVector[];
  beta: LutVector[];
  gamma: LutVector[];
  noiseRange: LutVector[];
  noiseAzimuth: AzimuthNoise[];
}
export type ProductLuts = Record<string, PolarisationLuts>;

/**
 * One vector at fractional pixel positions by linear interpolation, held constant past its ends.
 */
export function expandVector(lutVector: LutVector, pixels: Float64Array, out: Float32Array): void {
  const { pixels: knots, values } = lutVector;
  const last = knots.length - 1;
  for (let i = 0, k = 0; i < pixels.length; i++) {
    const x = pixels[i]!;
    if (x <= knots[0]!) {
      out[i] = values[0]!;
      continue;
    }
    if (x >= knots[last]!) {
      out[i] = values[last]!;
      continue;
    }
    if (knots[k]! > x) {
      k = 0;
    }
    while (knots[k + 1]! < x) {
      k++;
    }
    const fraction = (x - knots[k]!) / (knots[k + 1]! - knots[k]!);
    out[i] = values[k]! + (values[k + 1]! - values[k]!) * fraction;
  }
}

/**
 * The two vectors around a line and how far it lies between them; constant past the first and last.
 * Vectors rise in line.
 */
export function vectorsAround(
  vectors: readonly LutVector[],
  line: number,
): { a: number; b: number; share: number } {
  if (vectors.length === 0) {
    throw new InputError("The product has no look-up vector of this kind", "luts");
  }
  let b = vectors.findIndex((vector) => vector.line > line);
  if (b < 0) {
    b = vectors.length;
  }
  if (b === 0) {
    return { a: 0, b: 0, share: 0 };
  }
  if (b === vectors.length) {
    return { a: b - 1, b: b - 1, share: 0 };
  }
  return {
    a: b - 1,
    b,
    share: (line - vectors[b - 1]!.line) / (vectors[b]!.line - vectors[b - 1]!.line),
  };
}

/**
 * Azimuth factor at a line for the part of the image that holds a sample; 1 where the product gives
 * none.
 */
export function azimuthFactor(
  parts: readonly AzimuthNoise[],
  line: number,
  sample: number,
): number {
  const part =
    parts.find(
      (noise) =>
        line >= noise.firstLine - 0.5 &&
        line <= noise.lastLine + 0.5 &&
        sample >= noise.firstSample - 0.5 &&
        sample <= noise.lastSample + 0.5,
    ) ?? (parts.length === 1 ? parts[0] : undefined);
  if (!part) {
    return 1;
  }
  const { lines, values } = part;
  if (line <= lines[0]!) {
    return values[0]!;
  }
  for (let k = 1; k < lines.length; k++) {
    if (line <= lines[k]!) {
      return (
        values[k - 1]! +
        ((values[k]! - values[k - 1]!) * (line - lines[k - 1]!)) / (lines[k]! - lines[k - 1]!)
      );
    }
  }
  return values.at(-1)!;
}
