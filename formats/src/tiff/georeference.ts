import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { type GeoKeys, crsOfGeoKeys } from "../crs/geoKeys";
import { cornersOf, requirePlaced } from "../crs/place";
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

/** GTRasterTypeGeoKey: a cell is named by its centre. */
const BY_CENTRE = 2;
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
  return { grid, noPosition: null, verticalCode, transform };
}

/** The code of the heights: their own, or that of a system that has heights itself. */
function verticalOf(keys: GeoKeys): number | null {
  const own = Number(keys.VerticalCSTypeGeoKey ?? 0);
  return own || (Number(keys.GeographicTypeGeoKey) === WITH_HEIGHT ? WITH_HEIGHT : null);
}
