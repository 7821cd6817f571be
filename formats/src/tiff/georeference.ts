import geokeys from "geotiff-geokeys-to-proj4";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
import { FormatError } from "../errors";

interface Directory {
  loadValue(t: string): Promise<unknown>;
  parseGeoKeyDirectory(): Record<string, unknown> | null;
}

/**
 * Position of a GeoTIFF: affine transform and coordinate system, or why there is none. A transform
 * without a system is given too.
 */
export async function georeference(
  dir: Directory,
  width: number,
  height: number,
): Promise<{
  grid: Grid | null;
  noPosition: FormatError | null;
  verticalCode: number | null;
  transform: Affine | null;
}> {
  const list = async (t: string) => {
    const value = await dir.loadValue(t);
    return value == null ? null : Array.from(value as ArrayLike<number>, Number);
  };
  let keys: Record<string, unknown> | null = null;
  try {
    await dir.loadValue("GeoDoubleParams");
    await dir.loadValue("GeoAsciiParams");
    await dir.loadValue("GeoKeyDirectory");
    keys = dir.parseGeoKeyDirectory();
  } catch {
    /* damaged keys are no keys */
  }
  const matrix = await list("ModelTransformation");
  const scale = await list("ModelPixelScale");
  const tie = await list("ModelTiepoint");
  const verticalCode =
    Number(keys?.VerticalCSTypeGeoKey ?? 0) ||
    (Number(keys?.GeographicTypeGeoKey) === 4979 ? 4979 : null);
  const none = (error: FormatError, transform: Affine | null = null) => ({
    grid: null,
    noPosition: error,
    verticalCode,
    transform,
  });
  let t: Affine | null = null;
  if (matrix && matrix.length >= 8) {
    t = [matrix[3]!, matrix[0]!, matrix[1]!, matrix[7]!, matrix[4]!, matrix[5]!];
  } else if (scale && tie && tie.length >= 6) {
    if (tie.length > 6) {
      return none(
        new FormatError(
          "noPosition",
          `The file has ${tie.length / 6} tie points instead of a grid`,
          "Put the image on a grid first.",
        ),
      );
    }
    t = [tie[3]! - tie[0]! * scale[0]!, scale[0]!, 0, tie[4]! + tie[1]! * scale[1]!, 0, -scale[1]!];
  } else if (tie && tie.length > 6) {
    return none(
      new FormatError(
        "noPosition",
        `The file has ${tie.length / 6} control points instead of a grid`,
        "Put the image on a grid first.",
      ),
    );
  }
  if (!t) {
    return none(
      new FormatError(
        "noPosition",
        "The file does not say where on the ground it lies",
        "A GeoTIFF with a transform and a coordinate system is needed.",
      ),
    );
  }
  if (!t.every(Number.isFinite) || t[1] * t[5] - t[2] * t[4] === 0) {
    return none(new FormatError("noPosition", "The transform of this file has no extent"));
  }
  if (!keys) {
    return none(
      new FormatError(
        "noCrs",
        "The file has a transform but no coordinate system",
        "Save it with its coordinate system.",
      ),
      t,
    );
  }
  // Centre-based files name the centre of the first cell; our convention is its outer corner.
  if (Number(keys.GTRasterTypeGeoKey) === 2) {
    t = [t[0] - (t[1] + t[2]) / 2, t[1], t[2], t[3] - (t[4] + t[5]) / 2, t[4], t[5]];
  }
  try {
    return {
      grid: { crs: await crsOf(keys), transform: t, width, height },
      noPosition: null,
      verticalCode,
      transform: t,
    };
  } catch (error) {
    if (error instanceof FormatError) {
      return none(error, t);
    }
    throw error;
  }
}

async function crsOf(keys: Record<string, unknown>): Promise<Crs> {
  const projected = Number(keys.ProjectedCSTypeGeoKey ?? 0);
  const geographic = Number(keys.GeographicTypeGeoKey ?? 0);
  const model = Number(keys.GTModelTypeGeoKey ?? 0);
  if (projected > 0 && projected !== 32767) {
    return crsOfEpsg(projected);
  }
  if ((model === 2 || (model !== 1 && !projected)) && geographic > 0 && geographic !== 32767) {
    return crsOfEpsg(geographic);
  }
  if (model !== 1 && model !== 2) {
    throw new FormatError(
      "noCrs",
      "The file has a transform but no coordinate system",
      "Save it with its coordinate system.",
    );
  }
  // A system of the file's own: built from its parameters.
  const r = geokeys.toProj4(keys);
  const name = String(
    keys.PCSCitationGeoKey ?? keys.GTCitationGeoKey ?? keys.GeogCitationGeoKey ?? "own system",
  )
    .replace(/\|.*$/s, "")
    .trim();
  if (!r.proj4 || !/\+proj=/.test(r.proj4)) {
    throw new FormatError(
      "noCrs",
      `The coordinate system of this file (${name}) cannot be computed`,
      "Save the file in a UTM zone or in longitude and latitude.",
    );
  }
  return { code: `own: ${name}`, proj4: r.proj4.trim(), name };
}
