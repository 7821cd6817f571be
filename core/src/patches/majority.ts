import { CLASS_NODATA } from "../raster/block";

/**
 * Each cell takes the label that is most frequent in a square window around it; of equal counts its
 * own where it is among them, else the lower. Nodata stays,
 * and counts for nothing. @param src cells with `half` cells of room on every side, outside the
 * image 255; @param width, height of `out`
 */
export function majority(
  src: Uint8Array,
  width: number,
  height: number,
  half: number,
  out: Uint8Array,
): void {
  const columns = width + 2 * half;
  const counts = new Int32Array(256);
  for (let r = 0; r < height; r++) {
    counts.fill(0);
    for (let y = 0; y <= 2 * half; y++) {
      for (let x = 0; x < 2 * half; x++) {
        counts[src[(r + y) * columns + x]!]!++;
      }
    }
    for (let c = 0; c < width; c++) {
      // One column enters, one leaves.
      for (let y = 0; y <= 2 * half; y++) {
        counts[src[(r + y) * columns + c + 2 * half]!]!++;
        if (c > 0) {
          counts[src[(r + y) * columns + c - 1]!]!--;
        }
      }
      const own = src[(r + half) * columns + c + half]!;
      if (own === CLASS_NODATA) {
        out[r * width + c] = own;
        continue;
      }
      let best = own;
      let most = counts[own]!;
      for (let y = 0; y <= 2 * half; y++) {
        for (let x = 0, i = (r + y) * columns + c; x <= 2 * half; x++, i++) {
          const value = src[i]!;
          if (value !== CLASS_NODATA && value !== best) {
            const n = counts[value]!;
            if (n > most || (n === most && best !== own && value < best)) {
              most = n;
              best = value;
            }
          }
        }
      }
      out[r * width + c] = best;
    }
  }
}
