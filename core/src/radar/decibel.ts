import { inChunks } from "../wasm/kernels";

/**
 * Power to decibels, cell by cell. Zero, negative, infinite and NaN power become nodata (NaN): they
 * have no decibel value.
 * Within 5e-6 dB of 10·log10 between −60 and 60 dB, which is the step of a 32-bit float there.
 */
export function toDecibel(src: Float32Array, out: Float32Array): void {
  inChunks([src], out, (kernels, [a], to, n) => kernels.decibels(a!, to, n));
}

/** Decibels to power, cell by cell; NaN stays NaN. */
export function fromDecibel(src: Float32Array, out: Float32Array): void {
  const k = Math.LN10 / 10;
  for (let i = 0, n = src.length; i < n; i++) {
    out[i] = Math.exp(src[i]! * k);
  }
}
