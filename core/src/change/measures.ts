import { inChunks } from "../wasm/kernels";

/**
 * Log ratio of two power images, 10·log10(after ÷ before) in dB: below zero means darker after the
 * event.
 * A cell that is nodata, zero or negative on either date is nodata.
 */
export function logRatio(before: Float32Array, after: Float32Array, out: Float32Array): void {
  inChunks([before, after], out, (kernels, [b, a], to, n) => kernels.logRatios(b!, a!, to, n));
}

/**
 * after − before, in the unit of the layers. The order is fixed. A cell that is nodata on either
 * date is nodata.
 */
export function difference(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    out[i] = after[i]! - before[i]!;
  }
}

/**
 * Loss of an index, before − after: dNBR by its convention, above zero where something burned or
 * was lost. A cell that is nodata on either date is nodata.
 * Source: Key & Benson 2006.
 */
export function indexLoss(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    out[i] = before[i]! - after[i]!;
  }
}

/** Before values nearer to zero than this give no relative loss. */
const LEAST_BEFORE = 1e-3;
/**
 * Loss of an index beside what was there: (before − after)/√|before|, RdNBR for NBR. Nodata where
 * before is nought. Source: Miller & Thode 2007.
 */
export function relativeLoss(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    const size = Math.abs(b);
    out[i] = size > LEAST_BEFORE ? (b - after[i]!) / Math.sqrt(size) : NaN;
  }
}

/**
 * Change in parts of what was there, (after − before)/|before| · 100 in per cent: below zero means
 * less after. Nodata where before is nought (under 1e-3).
 */
export function relativeChange(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    const size = Math.abs(b);
    out[i] = size > LEAST_BEFORE ? (100 * (after[i]! - b)) / size : NaN;
  }
}

/** Decibels of before nearer to 0 than this give no quotient. */
const LEAST_DECIBEL = 1;
/**
 * Quotient of decibel values, after ÷ before: over 1 means darker where both are below 0 dB. It
 * depends on the reference level of the decibels and is not
 * defined near 0 dB; offered because practitioners use it. Nodata where before lies within 1 dB of
 * 0.
 */
export function decibelQuotient(
  before: Float32Array,
  after: Float32Array,
  out: Float32Array,
): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    out[i] = Math.abs(b) >= LEAST_DECIBEL ? after[i]! / b : NaN;
  }
}
