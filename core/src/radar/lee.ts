import { boxSums, hasNaN } from './boxSums';

/**
 * Local statistics filter for multiplicative speckle. Source: Lee 1980, with the variance of the signal
 * var_x = (var_z − mean²·σ_v²)/(1 + σ_v²), σ_v² = 1/ENL, gain b = var_x/var_z, result mean + b·(z − mean).
 *
 * @param src (width + size − 1) x (height + size − 1) power cells with a halo of half a window; NaN = nodata
 * @param size odd window side in cells; @param looks equivalent number of looks; @param out width x height power
 * Nodata neighbours are left out of the statistics; a nodata centre stays nodata.
 */
export function lee(src: Float32Array, width: number, height: number, size: number, looks: number, out: Float32Array): void {
  const n = width * height, h = (size - 1) >> 1, w = width + 2 * h, cells = size * size;
  const gaps = hasNaN(src);
  const sum = new Float64Array(n), squares = new Float64Array(n), count = gaps ? new Float64Array(n) : null;
  boxSums(src, width, height, size, sum, squares, count);
  const cv = 1 / looks, norm = 1 / (1 + cv);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const i = r * width + c, z = src[(r + h) * w + c + h]!;
      if (z !== z) { out[i] = NaN; continue; }
      const m = 1 / (count ? count[i]! : cells), mean = sum[i]! * m, v = squares[i]! * m - mean * mean;
      const vx = (v - mean * mean * cv) * norm;
      out[i] = vx > 0 ? mean + (vx / v) * (z - mean) : mean;
    }
  }
}
