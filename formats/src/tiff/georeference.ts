import geokeys from "geotiff-geokeys-to-proj4";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { crsOfEpsg } from "../crs/epsg";
import { FormatError } from "../errors";
import { type Directory, numbersOf } from "./directory";

/** Where the cells of an image lie, or why that is not known. */
export interface Georeference {
  grid: Grid | null;
  noPosition: FormatError | null;
  /** EPSG code of the system of heights. */
  verticalCode: number | null;
  /** From cells to coordinates, also where their system is not known. */
  transform: Affine | null;
}

type GeoKeys = Record<string, unknown>;

/** GTModelTypeGeoKey: coordinates in metres of a map, or in degrees. */
const PROJECTED = 1;
const GEOGRAPHIC = 2;
/** GTRasterTypeGeoKey: a cell is named by its centre. */
const BY_CENTRE = 2;
/** The code that stands for a system of the file's own. */
const USER_DEFINED = 32767;
/** Longitude, latitude and height above the ellipsoid. */
const WITH_HEIGHT = 4979;

const ON_A_GRID = "Put the image on a grid first.";
const noPosition = (message: string, hint?: string) => new FormatError("noPosition", message, hint);
const noCrs = () =>
  new FormatError(
    "noCrs",
    "The file has a transform but no coordinate system",
    "Save it with its coordinate system.",
  );

/** The keys of a coordinate system; null where there are none, or they are damaged. */
async function keysOf(dir: Directory): Promise<GeoKeys | null> {
  try {
    await dir.loadValue("GeoDoubleParams");
    await dir.loadValue("GeoAsciiParams");
    await dir.loadValue("GeoKeyDirectory");
    return dir.parseGeoKeyDirectory();
  } catch {
    return null;
  }
}

/** The transform that the file has, by outer corners of cells or as its keys say. @throws FormatError */
async function transformOf(dir: Directory): Promise<Affine> {
  const matrix = await numbersOf(dir, "ModelTransformation");
  if (matrix && matrix.length >= 8) {
    return [matrix[3]!, matrix[0]!, matrix[1]!, matrix[7]!, matrix[4]!, matrix[5]!];
  }
  const scale = await numbersOf(dir, "ModelPixelScale");
  const tie = (await numbersOf(dir, "ModelTiepoint")) ?? [];
  if (tie.length > 6) {
    const points = scale ? "tie" : "control";
    const message = `The file has ${tie.length / 6} ${points} points instead of a grid`;
    throw noPosition(message, ON_A_GRID);
  }
  if (!scale || tie.length < 6) {
    throw noPosition(
      "The file does not say where on the ground it lies",
      "A GeoTIFF with a transform and a coordinate system is needed.",
    );
  }
  const [col = NaN, row = NaN, , x = NaN, y = NaN] = tie;
  const [width = NaN, height = NaN] = scale;
  return [x - col * width, width, 0, y + row * height, 0, -height];
}

/** @throws FormatError where cells have no extent */
function requireExtent(t: Affine): void {
  if (!t.every(Number.isFinite) || t[1] * t[5] - t[2] * t[4] === 0) {
    throw noPosition("The transform of this file has no extent");
  }
}

/** A transform from the centre of the first cell as one from its outer corner, our convention. */
const fromCorner = (t: Affine): Affine => [
  t[0] - (t[1] + t[2]) / 2,
  t[1],
  t[2],
  t[3] - (t[4] + t[5]) / 2,
  t[4],
  t[5],
];

/** What a step gives, or the fault in the file that it found. */
async function tried<T>(step: () => Promise<T>): Promise<T | FormatError> {
  try {
    return await step();
  } catch (error) {
    if (error instanceof FormatError) {
      return error;
    }
    throw error;
  }
}

/**
 * Position of a GeoTIFF: affine transform and coordinate system, or why there is none. A transform
 * without a system is given too.
 */
export async function georeference(
  dir: Directory,
  width: number,
  height: number,
): Promise<Georeference> {
  const keys = await keysOf(dir);
  const verticalCode = verticalOf(keys ?? {});
  const none = (error: FormatError, transform: Affine | null = null): Georeference => ({
    grid: null,
    noPosition: error,
    verticalCode,
    transform,
  });
  const found = await tried(async () => {
    const transform = await transformOf(dir);
    requireExtent(transform);
    return transform;
  });
  if (found instanceof FormatError) {
    return none(found);
  }
  if (!keys) {
    return none(noCrs(), found);
  }
  const transform = Number(keys.GTRasterTypeGeoKey) === BY_CENTRE ? fromCorner(found) : found;
  const crs = await tried(() => crsOf(keys));
  if (crs instanceof FormatError) {
    return none(crs, transform);
  }
  return {
    grid: { crs, transform, width, height },
    noPosition: null,
    verticalCode,
    transform,
  };
}

/** A code among the keys; 0 where it is not there or stands for a system of the file's own. */
function codeOf(keys: GeoKeys, key: string): number {
  const code = Number(keys[key] ?? 0);
  return code > 0 && code !== USER_DEFINED ? code : 0;
}

/** The code of the heights: their own, or that of a system that has heights itself. */
function verticalOf(keys: GeoKeys): number | null {
  const own = Number(keys.VerticalCSTypeGeoKey ?? 0);
  return own || (Number(keys.GeographicTypeGeoKey) === WITH_HEIGHT ? WITH_HEIGHT : null);
}

async function crsOf(keys: GeoKeys): Promise<Crs> {
  const model = Number(keys.GTModelTypeGeoKey ?? 0);
  const projected = codeOf(keys, "ProjectedCSTypeGeoKey");
  if (projected) {
    return crsOfEpsg(projected);
  }
  const geographic = codeOf(keys, "GeographicTypeGeoKey");
  const isProjected = model === PROJECTED || !!keys.ProjectedCSTypeGeoKey;
  if (geographic && (model === GEOGRAPHIC || !isProjected)) {
    return crsOfEpsg(geographic);
  }
  if (model !== PROJECTED && model !== GEOGRAPHIC) {
    throw noCrs();
  }
  return ownCrs(keys);
}

/** What the file calls its coordinate system. */
const nameOf = (keys: GeoKeys): string =>
  String(keys.PCSCitationGeoKey ?? keys.GTCitationGeoKey ?? keys.GeogCitationGeoKey ?? "own system")
    .replace(/\|.*$/s, "")
    .trim();

/** A system of the file's own, built from its parameters. @throws FormatError */
function ownCrs(keys: GeoKeys): Crs {
  const { proj4 } = geokeys.toProj4(keys);
  const name = nameOf(keys);
  if (!proj4 || !/\+proj=/.test(proj4)) {
    throw new FormatError(
      "noCrs",
      `The coordinate system of this file (${name}) cannot be computed`,
      "Save the file in a UTM zone or in longitude and latitude.",
    );
  }
  return { code: `own: ${name}`, proj4: proj4.trim(), name };
}
