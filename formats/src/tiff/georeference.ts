import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { type GeoKeys, crsOfGeoKeys } from "../crs/geoKeys";
import { cornersOf, requirePlaced } from "../crs/place";
import { FormatError } from "../errors";
import { type GroundPoint, thinned } from "@hindglance/core/align/groundPoint";
import { type Directory, numbersOf } from "./directory";
import { pointsOf, rationalFrom } from "../raster/rational";

/** Where the cells of an image lie, or why that is not known. */
export interface Georeference {
  grid: Grid | null;
  noPosition: FormatError | null;
  /** EPSG code of the system of heights. */
  verticalCode: number | null;
  /** From cells to coordinates, also where their system is not known. */
  transform: Affine | null;
  /** Places that are known on the ground, where there is no grid. */
  groundPoints: GroundPoint[];
}

/** GTRasterTypeGeoKey: a cell is named by its centre. */
const BY_CENTRE = 2;
/** Longitude, latitude and height above the ellipsoid. */
const WITH_HEIGHT = 4979;

const BY_POINTS = "Align lays it on the map by them.";
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
    const message = `The file has ${tie.length / 6} control points instead of a grid`;
    throw noPosition(message, BY_POINTS);
  }
  if (!scale && dir.hasTag(RATIONAL)) {
    throw noPosition("The file has a rational polynomial instead of a grid", BY_POINTS);
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

/** Numbers of a tie point: column, row, depth, and three coordinates. */
const TIE = 6;

/** Tie points on the ground; none where their system is not known. */
async function tiePointsOf(tie: readonly number[], keys: GeoKeys | null): Promise<GroundPoint[]> {
  const all = Array.from({ length: Math.floor(tie.length / TIE) }, (_v, k) =>
    tie.slice(k * TIE, (k + 1) * TIE),
  ).filter((numbers) => numbers.every(Number.isFinite));
  const crs = await tried(async () =>
    keys
      ? crsOfGeoKeys(
          keys,
          all.map(([, , , x, y]) => [x!, y!]),
        )
      : null,
  );
  if (!crs || crs instanceof FormatError) {
    return [];
  }
  const globe = transformer(crs, LONLAT);
  const shift = Number(keys?.GTRasterTypeGeoKey) === BY_CENTRE ? 0.5 : 0;
  return all.map(([col, row, , x, y]) => ({
    from: [col! + shift, row! + shift],
    to: globe(x!, y!),
  }));
}

/** Tag of a rational polynomial. */
const RATIONAL = 50844;

/** Places of an image that are known on the ground: its tie points, or those of a rational polynomial. */
async function groundPointsOf(
  dir: Directory,
  keys: GeoKeys | null,
  width: number,
  height: number,
): Promise<GroundPoint[]> {
  const tie = (await numbersOf(dir, "ModelTiepoint")) ?? [];
  if (tie.length > TIE) {
    return tiePointsOf(tie, keys);
  }
  const numbers = dir.hasTag(RATIONAL) ? await numbersOf(dir, RATIONAL) : null;
  const model = numbers && rationalFrom(numbers);
  return model ? pointsOf(model, width, height) : [];
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
  const groundPoints = thinned(await groundPointsOf(dir, keys, width, height));
  const none = (error: FormatError, transform: Affine | null = null): Georeference => ({
    grid: null,
    noPosition: error,
    verticalCode,
    transform,
    groundPoints,
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
  const grid = await tried(async () => {
    const crs = await crsOfGeoKeys(keys, cornersOf({ transform, width, height }));
    if (!crs) {
      throw noCrs();
    }
    return requirePlaced({ crs, transform, width, height });
  });
  if (grid instanceof FormatError) {
    return none(grid, transform);
  }
  return { grid, noPosition: null, verticalCode, transform, groundPoints: [] };
}

/** The code of the heights: their own, or that of a system that has heights itself. */
function verticalOf(keys: GeoKeys): number | null {
  const own = Number(keys.VerticalCSTypeGeoKey ?? 0);
  return own || (Number(keys.GeographicTypeGeoKey) === WITH_HEIGHT ? WITH_HEIGHT : null);
}
