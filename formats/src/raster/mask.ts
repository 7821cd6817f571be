import type { Window } from "@hindglance/core/grid/grid";
import { FormatError } from "../errors";
import type { OpenRaster } from "./raster";

/** Masks of a window, one for all bands or one a band: 0 where a cell is not there. */
export type RasterMask = (window: Window, signal?: AbortSignal) => Promise<Float64Array[]>;

/** Whether a file is named as the mask of the image beside it: that of x.tif is x.tif.msk. */
export const looksLikeMask = (name: string): boolean => /\.msk$/i.test(name);

/**
 * Sets cells to NaN where their mask is 0, in place.
 *
 * @param masks one for all bands, or one a band; bands beyond the last mask take the first one
 */
export function maskedBy<Cells extends Float32Array | Float64Array>(
  bands: Cells[],
  masks: readonly Float64Array[],
): Cells[] {
  bands.forEach((band, k) => {
    const mask = masks[k] ?? masks[0]!;
    mask.forEach((value, cell) => {
      if (value === 0) {
        band[cell] = NaN;
      }
    });
  });
  return bands;
}

/**
 * An image whose cells are NaN where those of its mask are 0, in `readRaw` too.
 *
 * @param mask the file beside the image
 * @param name of the mask, for the error
 * @throws FormatError where the mask is not of the image's size
 */
export function withMask(image: OpenRaster, mask: OpenRaster, name: string): OpenRaster {
  const { width, height } = image;
  if (mask.width !== width || mask.height !== height) {
    throw new FormatError(
      "contradictory",
      `${name} has ${mask.width} by ${mask.height} cells, its image ${width} by ${height}`,
      "Pick the mask that belongs to the image, or leave it away.",
    );
  }
  return {
    ...image,
    read: async (window, signal) =>
      maskedBy(await image.read(window, signal), await mask.readRaw(window, signal)),
    readRaw: async (window, signal) =>
      maskedBy(await image.readRaw(window, signal), await mask.readRaw(window, signal)),
  };
}
