/** Bits of the quality band of Collection 2 level products, by name. */
export const QUALITY_BITS = {
  fill: 0,
  dilatedCloud: 1,
  cirrus: 2,
  cloud: 3,
  shadow: 4,
  snow: 5,
  clear: 6,
  water: 7,
} as const;
export type QualityName = keyof typeof QUALITY_BITS;

/** Whether a quality number has one of the named bits; a cell without a number counts as fill. */
export const qualityMask = (names: readonly QualityName[]): number =>
  names.reduce((m, n) => m | (1 << QUALITY_BITS[n]), 0);

/**
 * Cells to be masked by the quality band. @param quality whole numbers, NaN = none; @param mask
 * bits from `qualityMask`
 * @param out 1 = masked, also where there is no number and `fill` is asked for
 */
export function maskByQuality(quality: Float32Array, mask: number, out: Uint8Array): void {
  const fill = (mask & 1) !== 0;
  for (let i = 0; i < quality.length; i++) {
    const bits = quality[i]!;
    const flagged = bits === bits ? (bits & mask) !== 0 : fill;
    out[i] = flagged ? 1 : 0;
  }
}

/**
 * Bright cloud where there is no quality band: bright and white in the visible, colder than the
 * ground where there is a thermal band. Source: the
 * brightness and whiteness tests of Zhu & Woodcock 2012, without their probabilities.
 * @param blue, green, red reflectance at the top of the atmosphere; @param kelvin brightness
 * temperature or null; @param out 1 = cloud
 */
export function brightCloud(
  blue: Float32Array,
  green: Float32Array,
  red: Float32Array,
  kelvin: Float32Array | null,
  out: Uint8Array,
): void {
  for (let i = 0; i < out.length; i++) {
    const b = blue[i]!;
    const greenHere = green[i]!;
    const r = red[i]!;
    const m = (b + greenHere + r) / 3;
    const whiteness = (Math.abs(b - m) + Math.abs(greenHere - m) + Math.abs(r - m)) / m;
    out[i] = m > 0.26 && b > 0.24 && whiteness < 0.5 && (!kelvin || !(kelvin[i]! >= 300)) ? 1 : 0;
  }
}

/**
 * Widens a mask by so many cells (a square window): clouds have soft edges. `src` has the halo
 * around it, `out` has not.
 */
export function dilate(
  src: Uint8Array,
  width: number,
  height: number,
  cells: number,
  out: Uint8Array,
): void {
  const w = width + 2 * cells;
  const h = height + 2 * cells;
  const since = new Int32Array(width).fill(1 << 30);
  const reach = 2 * cells;
  for (let r = 0; r < h; r++) {
    let last = -1 << 30;
    const row = r * w;
    const to = (r - reach) * width;
    // Across: how far back the last masked cell of the row lies; down: how many rows ago a column
    // had one.
    for (let c = 0; c < w; c++) {
      if (src[row + c]) {
        last = c;
      }
      const offset = c - reach;
      if (offset >= 0) {
        if (c - last <= reach) {
          since[offset] = 0;
        } else {
          since[offset]!++;
        }
      }
    }
    if (r >= reach) {
      for (let offset = 0; offset < width; offset++) {
        out[to + offset] = since[offset]! <= reach ? 1 : 0;
      }
    }
  }
}

/**
 * Morphological opening of a mask by a square of 2·half + 1 cells: what is narrower than it goes.
 * Past the window counts as set while it shrinks and as empty
 * while it grows again.
 */
export function opened(src: Uint8Array, width: number, height: number, half: number): Uint8Array {
  const size = 2 * half + 1;
  const small = new Uint8Array((width + 2 * half) * (height + 2 * half));
  const out = new Uint8Array(width * height);
  const run = new Int32Array(width).fill(half);
  const paddedWidth = width + 2 * half;
  for (let r = 0; r < height + half; r++) {
    let across = half;
    const inside = r < height;
    const row = r * width;
    const to = r * paddedWidth + half;
    for (let c = 0; c < width + half; c++) {
      if (c < width) {
        across = !inside || src[row + c] ? across + 1 : 0;
      } else {
        across++;
      }
      const offset = c - half;
      if (offset >= 0) {
        if (across >= size || !inside) {
          run[offset]!++;
        } else {
          run[offset] = 0;
        }
        if (r >= half && run[offset]! >= size) {
          small[to + offset] = 1;
        }
      }
    }
  }
  dilate(small, width, height, half, out);
  return out;
}
