import type { BandRole } from "../graph/image";

/** Cells of room that `texture` wants around a window. */
export const TEXTURE_HALO = 1;
/**
 * What offsets are measured on: bands as they are; of radar the logarithm of the mean power of 3 x
 * 3 cells, so that speckle and single bright targets weigh
 * less. @param src cells with one cell of room on every side; @param width, height of the window
 * itself; NaN where the middle cell has no value
 */
export function texture(
  src: Float32Array,
  width: number,
  height: number,
  role: BandRole,
): Float32Array {
  const columns = width + 2;
  const out = new Float32Array(width * height);
  const power = role === "power" || role === "amplitude";
  for (let r = 0, i = 0; r < height; r++) {
    for (let c = 0; c < width; c++, i++) {
      const m = (r + 1) * columns + c + 1;
      if (!power) {
        out[i] = src[m]!;
        continue;
      }
      let sum = 0;
      let n = 0;
      for (let y = -columns; y <= columns; y += columns) {
        for (let x = -1; x <= 1; x++) {
          const value = src[m + y + x]!;
          if (value === value) {
            sum += role === "power" ? value : value * value;
            n++;
          }
        }
      }
      out[i] = src[m] === src[m] && sum > 0 ? 10 * Math.log10(sum / n) : NaN;
    }
  }
  return out;
}
