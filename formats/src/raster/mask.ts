import type { Window } from "@hindglance/core/grid/grid";

/** Masks of a window, one for all bands or one a band: 0 where a cell is not there. */
export type RasterMask = (window: Window, signal?: AbortSignal) => Promise<Float64Array[]>;

/**
 * Sets cells to NaN where their mask is 0, in place.
 *
 * @param masks one for all bands, or one a band; bands beyond the last mask take the first one
 */
export function maskedBy(bands: Float64Array[], masks: readonly Float64Array[]): Float64Array[] {
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
