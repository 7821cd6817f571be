/** Bits of the quality band of Collection 2 level products, by name. */
export const QUALITY_BITS = { fill: 0, dilatedCloud: 1, cirrus: 2, cloud: 3, shadow: 4, snow: 5, clear: 6, water: 7 } as const;
export type QualityName = keyof typeof QUALITY_BITS;

/** Whether a quality number has one of the named bits; a cell without a number counts as fill. */
export const qualityMask = (names: readonly QualityName[]): number => names.reduce((m, n) => m | (1 << QUALITY_BITS[n]), 0);

/**
 * Cells to be masked by the quality band. @param quality whole numbers, NaN = none; @param mask bits from `qualityMask`
 * @param out 1 = masked, also where there is no number and `fill` is asked for
 */
export function maskByQuality(quality: Float32Array, mask: number, out: Uint8Array): void {
  const fill = (mask & 1) !== 0;
  for (let i = 0; i < quality.length; i++) { const q = quality[i]!; out[i] = q === q ? ((q & mask) !== 0 ? 1 : 0) : fill ? 1 : 0; }
}

/**
 * Bright cloud where there is no quality band: bright and white in the visible, colder than the ground where there is a thermal band. Source: the
 * brightness and whiteness tests of Zhu & Woodcock 2012, without their probabilities.
 * @param blue, green, red reflectance at the top of the atmosphere; @param kelvin brightness temperature or null; @param out 1 = cloud
 */
export function brightCloud(blue: Float32Array, green: Float32Array, red: Float32Array, kelvin: Float32Array | null, out: Uint8Array): void {
  for (let i = 0; i < out.length; i++) {
    const b = blue[i]!, g = green[i]!, r = red[i]!, m = (b + g + r) / 3, whiteness = (Math.abs(b - m) + Math.abs(g - m) + Math.abs(r - m)) / m;
    out[i] = m > 0.26 && b > 0.24 && whiteness < 0.5 && (!kelvin || !(kelvin[i]! >= 300)) ? 1 : 0;
  }
}

/** Widens a mask by so many cells (a square window): clouds have soft edges. `src` has the halo around it, `out` has not. */
export function dilate(src: Uint8Array, width: number, height: number, cells: number, out: Uint8Array): void {
  const w = width + 2 * cells, h = height + 2 * cells, across = new Uint8Array(width * h);
  // Rows first, then columns: how far back the last masked cell lies.
  for (let r = 0; r < h; r++) { let last = -1e9; for (let c = 0; c < w; c++) { if (src[r * w + c]) last = c; if (c >= 2 * cells) across[r * width + c - 2 * cells] = c - last <= 2 * cells ? 1 : 0; } }
  for (let c = 0; c < width; c++) { let last = -1e9; for (let r = 0; r < h; r++) { if (across[r * width + c]) last = r; if (r >= 2 * cells) out[(r - 2 * cells) * width + c] = r - last <= 2 * cells ? 1 : 0; } }
}
