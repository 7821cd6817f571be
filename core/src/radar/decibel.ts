/**
 * Fast 10·log10. log2 is split into the exponent bits and a polynomial-free series in s = (m − 1)/(m + 1):
 * log2 m = (2/ln 2)·(s + s³/3 + s⁵/5 + s⁷/7 + s⁹/9), m in [√½, √2). The first term left out is below 6e-10, so the result is
 * within 1e-6 dB of Math.log10 before it is stored as a 32-bit float.
 */
const bits = new Float32Array(1);
const word = new Int32Array(bits.buffer);
const TWO_OVER_LN2 = 2 / Math.LN2;
const DB_PER_OCTAVE = 10 * Math.log10(2);

/** 10·log10(x) for a positive x; NaN for zero, negative, infinite and NaN. */
export function fastDecibel(x: number): number {
  bits[0] = x;
  let i = word[0]!;
  let shift = 0;
  if (i < 0x00800000) {
    // zero, subnormal or negative
    if (!(x > 0)) return NaN;
    bits[0] = x * 2 ** 30; i = word[0]!; shift = -30;
    if (i < 0x00800000) return NaN;
  }
  if (i >= 0x7f800000) return NaN;
  let e = (i >> 23) - 127;
  word[0] = (i & 0x7fffff) | 0x3f800000;
  // The mantissa is taken from the rounded 32-bit value: callers hold 32-bit cells, for which this is exact.
  let m = bits[0]!;
  if (m > 1.4142135) { m *= 0.5; e++; }
  const s = (m - 1) / (m + 1), q = s * s;
  return DB_PER_OCTAVE * (e + shift + TWO_OVER_LN2 * s * (1 + q * (1 / 3 + q * (1 / 5 + q * (1 / 7 + q / 9)))));
}

/** Power to decibels, cell by cell. Zero, negative and NaN power become nodata (NaN): they have no decibel value. */
export function toDecibel(src: Float32Array, out: Float32Array): void {
  for (let i = 0, n = src.length; i < n; i++) out[i] = fastDecibel(src[i]!);
}

/** Decibels to power, cell by cell; NaN stays NaN. */
export function fromDecibel(src: Float32Array, out: Float32Array): void {
  const k = Math.LN10 / 10;
  for (let i = 0, n = src.length; i < n; i++) out[i] = Math.exp(src[i]! * k);
}
