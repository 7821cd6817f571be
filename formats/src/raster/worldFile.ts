import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine } from "@hindglance/core/grid/grid";
import type { Places } from "../crs/epsg";
import { crsOfWkt } from "../crs/match";
import { FormatError } from "../errors";

/** World files by what they stand beside: .pgw, .jgw, .tfw, .j2w, or .wld for all. */
export const looksLikeWorldFile = (name: string): boolean =>
  /\.(pgw|pngw|jgw|jpgw|jpegw|tfw|tifw|j2w|jp2w|wld)$/i.test(name);

/** Whether a file is named as the text of a coordinate system. */
export const looksLikePrj = (name: string): boolean => /\.prj$/i.test(name);

/**
 * Transform of a world file: six numbers, of which the last two are the centre of the first cell.
 * @throws FormatError
 */
export function readWorldFile(text: string, name: string): Affine {
  const n = text
    .trim()
    .split(/\s+/)
    .map((s) => Number(s.replace(",", ".")));
  if (n.length < 6 || !n.slice(0, 6).every(Number.isFinite)) {
    throw new FormatError("damaged", `${name} does not hold the six numbers of a world file`);
  }
  // The file's lines: x and y that a column adds, x and y that a row adds, and the middle of the
  // first cell.
  const [columnX, columnY, rowX, rowY, x, y] = [0, 1, 2, 3, 4, 5].map((k) => n[k]!);
  if (columnX! * rowY! - rowX! * columnY! === 0) {
    throw new FormatError("damaged", `${name} gives cells without extent`);
  }
  return [
    x! - (columnX! + rowX!) / 2,
    columnX!,
    rowX!,
    y! - (columnY! + rowY!) / 2,
    columnY!,
    rowY!,
  ];
}

/**
 * Coordinate system of a .prj file.
 * @param places where it is used, in the system itself
 * @throws FormatError naming the file
 */
export async function readPrj(text: string, name: string, places: Places = []): Promise<Crs> {
  try {
    return await crsOfWkt(text, places);
  } catch (error) {
    if (error instanceof FormatError) {
      throw new FormatError(error.problem, `${name}: ${error.message}`, error.hint);
    }
    throw error;
  }
}
