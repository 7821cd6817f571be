import type { PointTransform } from "../geodesy/crs";
import { type Coordinates, type Geometry, partsOf } from "./features";

const isPlace = (place: Coordinates): boolean => place.every(Number.isFinite);

type Part = Exclude<Geometry, { geometries: Geometry[] }>;

/** A part with the places that a map has; null where it has none of them. */
function partlyPart(part: Part, onto: PointTransform): Part | null {
  const rowOf = (row: Coordinates[]): Coordinates[] =>
    row.map(([x, y]) => onto(x!, y!)).filter(isPlace);
  const rowsOf = (rows: Coordinates[][], least: number): Coordinates[][] =>
    rows.map(rowOf).filter((row) => row.length >= least);
  const polygons = (all: Coordinates[][][]): Coordinates[][][] =>
    all.map((rings) => rowsOf(rings, 3)).filter((rings) => rings.length > 0);
  const some = <G extends Part>(geometry: G): G | null =>
    geometry.coordinates.length > 0 ? geometry : null;
  switch (part.type) {
    case "Point":
      return some({ type: "MultiPoint", coordinates: rowOf([part.coordinates]) });
    case "MultiPoint":
      return some({ type: "MultiPoint", coordinates: rowOf(part.coordinates) });
    case "LineString":
      return some({ type: "MultiLineString", coordinates: rowsOf([part.coordinates], 2) });
    case "MultiLineString":
      return some({ type: "MultiLineString", coordinates: rowsOf(part.coordinates, 2) });
    case "Polygon":
      return some({ type: "MultiPolygon", coordinates: polygons([part.coordinates]) });
    default:
      return some({ type: "MultiPolygon", coordinates: polygons(part.coordinates) });
  }
}

/**
 * A geometry on a map that has only a part of the Earth, to be drawn there: places that the map has
 * not are left out, and so are lines of less than two places and rings of less than three.
 *
 * @param onto from its coordinates to the map's; not finite where the map has no such place
 * @returns points, lines and polygons as multiple ones; null where nothing of it is on the map
 */
export function partly(geometry: Geometry, onto: PointTransform): Geometry | null {
  const geometries = partsOf(geometry)
    .map((part) => partlyPart(part, onto))
    .filter((part) => part !== null);
  const [only] = geometries;
  if (!only) {
    return null;
  }
  return geometries.length === 1 ? only : { type: "GeometryCollection", geometries };
}
