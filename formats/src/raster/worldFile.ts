import proj4 from "proj4";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
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
 * Coordinate system of a .prj file: by its EPSG code where it names one, else by its text. @throws
 * FormatError
 */
export async function readPrj(text: string, name: string): Promise<Crs> {
  const wkt = text.trim();
  const codes = [...wkt.matchAll(/(?:AUTHORITY|ID)\s*\[\s*"EPSG"\s*,\s*"?(\d{4,6})"?\s*\]/gi)].map(
    (match) => Number(match[1]),
  );
  const title = /^\w+\s*\[\s*"([^"]+)"/.exec(wkt)?.[1] ?? name;
  if (codes.length) {
    try {
      return await crsOfEpsg(codes.at(-1)!);
    } catch (error) {
      if (!(error instanceof FormatError)) {
        throw error;
      }
    }
  }
  const utm = /UTM[ _]zone[ _](\d{1,2})([NS])/i.exec(title);
  const wgs = /WGS[ _]?(19)?84/i.test(wkt);
  if (utm && wgs) {
    return crsOfEpsg((utm[2]!.toUpperCase() === "S" ? 32700 : 32600) + Number(utm[1]));
  }
  try {
    proj4(wkt, "EPSG:4326", [0, 0]);
  } catch {
    throw new FormatError(
      "noCrs",
      `The coordinate system in ${name} cannot be computed`,
      "Give its EPSG code instead.",
    );
  }
  return { code: `own: ${title}`, proj4: wkt, name: title };
}
