import type { AreaGeometry } from "@hindglance/contract/studies";
import { type Feature, polygonsOf, shapesOf } from "@hindglance/core/vector/features";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { dissolved } from "@hindglance/core/vector/repair";
import { AppError } from "../errors";

/** Longitudes may be counted on past 180: an area may lie over the date line. */
const MOST_LON = 360;
const MOST_LAT = 90;

/**
 * A study area as it is kept: a MultiPolygon in longitude and latitude.
 *
 * @throws AppError, InputError where it is none
 */
export function areaOf(value: object): AreaGeometry {
  const coordinates = multiPolygonFrom(value, "studyArea");
  const off = coordinates
    .flat(2)
    .find(([x, y]) => Math.abs(x) > MOST_LON || Math.abs(y) > MOST_LAT);
  if (off) {
    throw new AppError(
      422,
      "invalid",
      `The study area has a corner at ${off[0]}, ${off[1]}, which is not a longitude and latitude`,
      "studyArea",
      "GeoJSON is in longitude and latitude (WGS 84).",
    );
  }
  return { type: "MultiPolygon", coordinates };
}

/** @throws AppError naming the first feature that has no area */
export function requireAreas(features: readonly Feature[], name: string, field: string): void {
  for (const [k, { geometry }] of features.entries()) {
    const flat = shapesOf(geometry).find((shape) => shape !== "polygon");
    if (flat) {
      throw new AppError(
        422,
        "invalid",
        `Feature ${k + 1} of ${name} is a ${flat}, which has no area`,
        field,
        "Only polygons can be counted in. Points and lines can be laid over the maps.",
      );
    }
  }
}

/** Polygons of features as one study area: what is in any of them is in it once. @throws AppError */
export function areaOfFeatures(features: readonly Feature[]): AreaGeometry {
  const all = features.flatMap(({ geometry }) => polygonsOf(geometry));
  return areaOf({ type: "MultiPolygon", coordinates: all.length > 1 ? dissolved(all) : all });
}

/** The same as `areaOf`; what is not there stays so. @throws AppError, InputError where it is none */
export const areaFrom = (value: object | null | undefined): AreaGeometry | null | undefined =>
  value == null ? value : areaOf(value);
