import { LONLAT, type Crs, utm } from "@hindglance/core/geodesy/crs";
import { FormatError } from "../errors";

/**
 * Definition of an EPSG code, from the table that ships with the application.
 * @throws FormatError for a code that has no computable definition there
 */
export async function crsOfEpsg(code: number): Promise<Crs> {
  if (code === 4326) {
    return LONLAT;
  }
  if ((code > 32600 && code <= 32660) || (code > 32700 && code <= 32760)) {
    return utm(code % 100, code > 32700);
  }
  const table = (await import("epsg-index/all.json", { with: { type: "json" } })).default;
  const e = table[String(code)];
  if (!e?.proj4) {
    throw new FormatError(
      "noCrs",
      `The coordinate system EPSG:${code} is not known here`,
      "Save the file in a UTM zone or in longitude and latitude.",
    );
  }
  return { code: `EPSG:${code}`, proj4: e.proj4.replace(/\s*\+type=crs/, "").trim(), name: e.name };
}
