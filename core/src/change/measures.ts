import { inChunks } from '../wasm/kernels';

/**
 * Log ratio of two power images, 10·log10(after ÷ before) in dB: below zero means darker after the event.
 * A cell that is nodata, zero or negative on either date is nodata.
 */
export function logRatio(before: Float32Array, after: Float32Array, out: Float32Array): void {
  inChunks([before, after], out, (k, [b, a], to, n) => k.logRatios(b!, a!, to, n));
}

/** after − before, in the unit of the layers. The order is fixed. A cell that is nodata on either date is nodata. */
export function difference(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) out[i] = after[i]! - before[i]!;
}
