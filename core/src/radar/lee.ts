import { hasNaN } from "../raster/block";
import { inStrips } from "../wasm/kernels";

/**
 * Local statistics filter for multiplicative speckle. Source: Lee 1980, with the variance of the
 * signal
 * var_x = (var_z − mean²·σ_v²)/(1 + σ_v²), σ_v² = 1/ENL, gain b = var_x/var_z, result mean + b·(z −
 * mean).
 *
 * @param src (width + size − 1) x (height + size − 1) power cells with a halo of half a window; NaN
 * = nodata
 * @param size odd window side in cells; @param looks equivalent number of looks; @param out width x
 * height power
 * Nodata neighbours are left out of the statistics; a nodata centre stays nodata.
 */
export function lee(
  src: Float32Array,
  width: number,
  height: number,
  size: number,
  looks: number,
  out: Float32Array,
): void {
  const gaps = hasNaN(src) ? 1 : 0;
  inStrips(
    src,
    width,
    height,
    (size - 1) >> 1,
    out,
    3 * 8 * (width + size + 3),
    (kernels, at, rows, to, scratch) =>
      kernels.leeStrip(at, width, rows, size, looks, to, scratch, gaps),
  );
}
