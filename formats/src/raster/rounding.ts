import type { OpenRaster } from "./raster";

/** A number of a file that 32 bits cannot hold exactly, and what it becomes with them. */
export interface Rounding {
  value: number;
  becomes: number;
}

/** Kinds of numbers of which 32-bit floats do not hold all. */
const WIDE = /^(float64|u?int(32|64))$/;
/** Cells that are read at a time. */
const CELLS_AT_ONCE = 1 << 22;

/**
 * A number that does not survive; whole numbers of 64 bits may have been rounded on being read
 * already, so those beyond 2^53 never do.
 */
function roundedIn(band: Float64Array, nodata: number | null): Rounding | null {
  const value = band.find(
    (one) =>
      one !== nodata &&
      !Number.isNaN(one) &&
      (Math.fround(one) !== one || (Math.abs(one) > Number.MAX_SAFE_INTEGER && isFinite(one))),
  );
  return value === undefined ? null : { value, becomes: Math.fround(value) };
}

/**
 * Whether numbers of an image would be rounded as 32-bit floats, which is how cells are kept (about
 * seven digits, whole numbers up to 2^24). Reads the image until it finds one; images of narrow
 * numbers are not read.
 *
 * @returns the first such number; null where all survive
 * @throws FormatError where the image is damaged
 */
export async function roundingOf(raster: OpenRaster): Promise<Rounding | null> {
  const { width, height, blockHeight, nodata, sampleType } = raster;
  if (!WIDE.test(sampleType)) {
    return null;
  }
  const blocks = Math.max(1, Math.floor(CELLS_AT_ONCE / (width * blockHeight)));
  const rows = blockHeight < height ? blocks * blockHeight : Math.ceil(CELLS_AT_ONCE / width);
  for (let row = 0; row < height; row += rows) {
    const window = { col: 0, row, width, height: Math.min(rows, height - row) };
    for (const band of await raster.readRaw(window)) {
      const found = roundedIn(band, nodata);
      if (found) {
        return found;
      }
    }
  }
  return null;
}
