import type { PointTransform } from "../geodesy/crs";
import { withoutLeap } from "../grid/globe";

/** A place: two numbers, or more where there are heights. */
export type Coordinates = number[];

/** A GeoJSON geometry (RFC 7946), its coordinates in any one system. */
export type Geometry =
  | { type: "Point"; coordinates: Coordinates }
  | { type: "MultiPoint" | "LineString"; coordinates: Coordinates[] }
  | { type: "MultiLineString" | "Polygon"; coordinates: Coordinates[][] }
  | { type: "MultiPolygon"; coordinates: Coordinates[][][] }
  | { type: "GeometryCollection"; geometries: Geometry[] };

/** A thing on a map with what is said of it. */
export interface Feature {
  properties: Record<string, unknown>;
  geometry: Geometry | null;
}

/** Names of the properties that any of some features has, each once. */
export const propertiesOf = (features: readonly Pick<Feature, "properties">[]): string[] => [
  ...new Set(features.flatMap(({ properties }) => Object.keys(properties))),
];

/** What a geometry is: places, lines or areas. */
export type Shape = "point" | "line" | "polygon";

const SHAPES: Record<Exclude<Geometry["type"], "GeometryCollection">, Shape> = {
  Point: "point",
  MultiPoint: "point",
  LineString: "line",
  MultiLineString: "line",
  Polygon: "polygon",
  MultiPolygon: "polygon",
};

/** The single geometries that a geometry is made of. */
export const partsOf = (geometry: Geometry): Exclude<Geometry, { geometries: Geometry[] }>[] =>
  geometry.type === "GeometryCollection" ? geometry.geometries.flatMap(partsOf) : [geometry];

/** What a geometry is made of, each once. */
export const shapesOf = (geometry: Geometry | null): Shape[] => [
  ...new Set(geometry ? partsOf(geometry).map(({ type }) => SHAPES[type]) : []),
];

/** Polygons of a geometry, each its shell and its holes; none of what has no area. */
export function polygonsOf(geometry: Geometry | null): Coordinates[][][] {
  const parts = geometry ? partsOf(geometry) : [];
  return parts.flatMap((part) => {
    switch (part.type) {
      case "Polygon":
        return [part.coordinates];
      case "MultiPolygon":
        return part.coordinates;
      default:
        return [];
    }
  });
}

/** Rows of places of a geometry: its rings, its lines, its points as one row. */
export function rowsOf(geometry: Geometry | null): Coordinates[][] {
  const parts = geometry ? partsOf(geometry) : [];
  return parts.flatMap((part): Coordinates[][] => {
    switch (part.type) {
      case "Point":
        return [[part.coordinates]];
      case "MultiPoint":
      case "LineString":
        return [part.coordinates];
      case "MultiLineString":
      case "Polygon":
        return part.coordinates;
      default:
        return part.coordinates.flat();
    }
  });
}

/** A geometry with each of its rows of places made anew. */
export function mapRows(
  geometry: Geometry,
  onRow: (row: Coordinates[]) => Coordinates[],
): Geometry {
  switch (geometry.type) {
    case "Point":
      return { ...geometry, coordinates: onRow([geometry.coordinates])[0] ?? [] };
    case "MultiPoint":
    case "LineString":
      return { ...geometry, coordinates: onRow(geometry.coordinates) };
    case "MultiLineString":
    case "Polygon":
      return { ...geometry, coordinates: geometry.coordinates.map(onRow) };
    case "MultiPolygon":
      return { ...geometry, coordinates: geometry.coordinates.map((rings) => rings.map(onRow)) };
    default:
      return {
        ...geometry,
        geometries: geometry.geometries.map((part) => mapRows(part, onRow)),
      };
  }
}

/** Sides between these many degrees long are meant to go the other way around the Earth. */
const LEAP = [180, 359] as const;

const hasLeap = (row: readonly Coordinates[]): boolean =>
  row.some(([lon], k) => {
    const gap = k === 0 ? 0 : Math.abs(lon! - row[k - 1]![0]!);
    return gap > LEAP[0] && gap < LEAP[1];
  });

/**
 * A geometry in longitude and latitude, without heights. Rows over the date line are counted on past
 * 180 instead of leaping around the Earth. What is empty stays empty.
 *
 * @param onto from its coordinates to longitude and latitude
 */
export const placed = (geometry: Geometry, onto: PointTransform): Geometry =>
  mapRows(geometry, (row) => {
    const flat = row.filter((place) => place.length >= 2).map(([x, y]) => onto(x!, y!));
    return hasLeap(flat) ? withoutLeap(flat) : flat;
  });
