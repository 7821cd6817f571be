import { hasNaN } from "../raster/block";
import { Workspace, inStrips } from "../wasm/kernels";

export const REFINED_LEE_HALO = 3;

/**
 * Edge-aligned local statistics filter. Source: Lee 1981, "Refined filtering of image noise using
 * local statistics":
 * nine overlapping 3 x 3 means inside a 7 x 7 window give the direction of the edge (largest of
 * four differences); of the
 * two half windows (28 cells, the dividing line in) beside that edge the one whose mean is nearer
 * to the centre's is used for
 * the statistics of Lee 1980. Read here: the side is chosen by comparing the two outer 3 x 3 means
 * across the edge with the
 * middle 3 x 3 mean.
 *
 * @param src (width + 6) x (height + 6) power cells with a halo of three; NaN = nodata
 * @param looks equivalent number of looks; @param out width x height power
 * Nodata neighbours are left out of every mean; a nodata centre stays nodata.
 */
export function refinedLee(
  src: Float32Array,
  width: number,
  height: number,
  looks: number,
  out: Float32Array,
): void {
  const gaps = hasNaN(src) ? 1 : 0;
  const scratch = Number(Workspace.begin().kernels.REFINED_SCRATCH.value) * 8 * (width + 14);
  inStrips(src, width, height, REFINED_LEE_HALO, out, scratch, (kernels, at, rows, to, room) =>
    kernels.refinedLeeStrip(at, width, rows, looks, to, room, gaps),
  );
}
