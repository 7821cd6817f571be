import Papa from "papaparse";
import { messageOf } from "@hindglance/core/errors";
import type { Feature } from "@hindglance/core/vector/features";
import { FormatError } from "../errors";
import { type SaidSystem, type VectorFile, type VectorLayer, stemOf } from "./layer";
import { fromWkt } from "./wellKnown";

/** Names of columns, in the order in which they are looked for. */
const WKT = /^(wkt|geom|geometry|the_geom|wkt_geom)$/i;
const DEGREES = [
  /^(lon|long|longitude|lng)(_?deg|_?dd)?$/i,
  /^(lat|latitude)(_?deg|_?dd)?$/i,
] as const;
const PLANE = [
  /^(x|x_?coord|easting|east|e)(_?m)?$/i,
  /^(y|y_?coord|northing|north|n)(_?m)?$/i,
] as const;

/** Where a row says where it lies. */
type Place = { wkt: string } | { x: string; y: string; system: SaidSystem };

function placeOf(fields: readonly string[], name: string): Place {
  const find = (pattern: RegExp) => fields.find((field) => pattern.test(field.trim()));
  const [lon, lat, x, y] = [...DEGREES, ...PLANE].map(find);
  const wkt = find(WKT);
  if (wkt) {
    return { wkt };
  }
  if (lon && lat) {
    return { x: lon, y: lat, system: "lonLat" };
  }
  if (x && y) {
    return { x, y, system: null };
  }
  throw new FormatError(
    "unsupported",
    `${name} has no columns of places; it has ${fields.slice(0, 12).join(", ")}`,
    "Name them lon and lat, x and y, or WKT.",
  );
}

/** A number with a point, or a comma where fields are told apart by something else. */
function numberOf(text: string, hasComma: boolean): number {
  const plain = text.trim();
  return plain === "" ? NaN : Number(hasComma ? plain.replace(",", ".") : plain);
}

type Row = Record<string, string>;

const valueOf = (text: string, hasComma: boolean): string | number => {
  const number = numberOf(text, hasComma);
  // Codes with zeros before them are texts.
  return Number.isFinite(number) && !/^0\d/.test(text.trim()) ? number : text;
};

/** One row as a feature. @throws FormatError with the number of its line */
function featureOf(
  row: Row,
  k: number,
  place: Place,
  hasComma: boolean,
  name: string,
): Feature & { epsg: number | null } {
  const own = "wkt" in place ? [place.wkt] : [place.x, place.y];
  const properties = Object.fromEntries(
    Object.entries(row)
      .filter(([field]) => !own.includes(field))
      .map(([field, text]) => [field, valueOf(text, hasComma)]),
  );
  const line = k + 2;
  if ("wkt" in place) {
    const text = row[place.wkt]?.trim() ?? "";
    try {
      const { geometry, epsg } = text === "" ? { geometry: null, epsg: null } : fromWkt(text);
      return { properties, geometry, epsg };
    } catch (error) {
      throw new FormatError(
        "damaged",
        `Line ${line} of ${name} holds no geometry that can be read (${messageOf(error)})`,
      );
    }
  }
  const coordinates = [place.x, place.y].map((field) => numberOf(row[field] ?? "", hasComma));
  if (!coordinates.every(Number.isFinite)) {
    throw new FormatError(
      "damaged",
      `Line ${line} of ${name} has "${row[place.x] ?? ""}", "${row[place.y] ?? ""}" where two numbers belong`,
      "Correct or take out the line.",
    );
  }
  return { properties, geometry: { type: "Point", coordinates }, epsg: null };
}

/** The system of well-known texts: the one that they name; null where they name none. @throws FormatError */
function systemOfAll(codes: readonly (number | null)[], name: string): SaidSystem {
  const known = [...new Set(codes.filter((code) => code !== null))];
  if (known.length > 1) {
    throw new FormatError(
      "contradictory",
      `${name} has geometries of several systems: ${known.map((code) => `EPSG:${code}`).join(", ")}`,
    );
  }
  const [code] = known;
  if (code === undefined) {
    return null;
  }
  return code === 4326 ? "lonLat" : { epsg: code };
}

/**
 * Rows of a table with columns of longitude and latitude, of x and y, or of well-known text; fields
 * apart by comma, semicolon or tab, numbers with a point, or with a comma where that tells no fields
 * apart.
 *
 * @throws FormatError where no column says where a row lies, or with the number of the line that is
 *   wrong
 */
export function readCsvTable({ name, bytes }: VectorFile): VectorLayer {
  const text = new TextDecoder().decode(bytes).replace(/^﻿/, "");
  const { data, meta, errors } = Papa.parse<Row>(text, { header: true, skipEmptyLines: "greedy" });
  const [wrong] = errors.filter(({ type }) => type === "Quotes" || type === "FieldMismatch");
  if (wrong) {
    throw new FormatError(
      "damaged",
      `Line ${(wrong.row ?? 0) + 2} of ${name} does not fit its columns (${wrong.message})`,
    );
  }
  const place = placeOf(meta.fields ?? [], name);
  const hasComma = meta.delimiter !== ",";
  const found = data.map((row, k) => featureOf(row, k, place, hasComma, name));
  return {
    name: stemOf(name),
    system:
      "wkt" in place
        ? systemOfAll(
            found.map(({ epsg }) => epsg),
            name,
          )
        : place.system,
    features: found.map(({ properties, geometry }) => ({ properties, geometry })),
  };
}
