import { InputError } from "../errors";
import { isFiniteNumber, isRecord } from "../values";

/**
 * Rings of positions; the first ring of a polygon is its shell, the others are holes. Coordinates
 * in any one system.
 */
export type Position = [number, number];
export type Polygon = Position[][];
export type MultiPolygon = Polygon[];

/**
 * Reads a Polygon, MultiPolygon, Feature or FeatureCollection of those into one multipolygon.
 * @throws InputError naming what is wrong, for other geometry types, open or short rings, and
 * non-numbers
 */
export function multiPolygonFrom(geojson: unknown, field = "studyArea"): MultiPolygon {
  const out: MultiPolygon = [];
  const polygon = (coords: unknown): Polygon => {
    if (!Array.isArray(coords) || coords.length === 0) {
      throw new InputError(
        "A polygon without rings",
        field,
        "Give at least one ring of four positions or more.",
      );
    }
    return coords.map((ring: unknown, k) => {
      if (!Array.isArray(ring)) {
        throw new InputError(`Ring ${k + 1} of a polygon is not a list`, field);
      }
      const r = ring.map((position: unknown): Position => {
        const numbers: unknown[] = Array.isArray(position) ? position : [];
        const [x, y] = numbers;
        if (!isFiniteNumber(x) || !isFiniteNumber(y)) {
          throw new InputError(`Ring ${k + 1} holds a position that is not two numbers`, field);
        }
        return [x, y];
      });
      const a = r[0];
      const b = r[r.length - 1];
      if (a && b && (a[0] !== b[0] || a[1] !== b[1])) {
        r.push([a[0], a[1]]);
      }
      if (r.length < 4) {
        throw new InputError(`Ring ${k + 1} of a polygon has fewer than three corners`, field);
      }
      return r;
    });
  };
  const visit = (geometry: unknown, depth: number): void => {
    if (!isRecord(geometry) || depth > 8) {
      throw new InputError(
        "This is not GeoJSON",
        field,
        "Expected a Polygon, MultiPolygon, Feature or FeatureCollection.",
      );
    }
    if (geometry.type === "FeatureCollection" && Array.isArray(geometry.features)) {
      geometry.features.forEach((feature) => visit(feature, depth + 1));
    } else if (geometry.type === "Feature") {
      visit(geometry.geometry, depth + 1);
    } else if (geometry.type === "GeometryCollection" && Array.isArray(geometry.geometries)) {
      geometry.geometries.forEach((part) => visit(part, depth + 1));
    } else if (geometry.type === "Polygon") {
      out.push(polygon(geometry.coordinates));
    } else if (geometry.type === "MultiPolygon" && Array.isArray(geometry.coordinates)) {
      geometry.coordinates.forEach((coordinate) => out.push(polygon(coordinate)));
    } else {
      throw new InputError(
        `Geometry of type ${String(geometry.type)} has no area`,
        field,
        "Only Polygon and MultiPolygon can be used here.",
      );
    }
  };
  visit(geojson, 0);
  if (out.length === 0) {
    throw new InputError("There is no polygon in this GeoJSON", field);
  }
  return out;
}

/**
 * Moves a multipolygon to other coordinates. Long sides are cut first so that they bend as the
 * projection bends them.
 * @param maxStep longest side that stays whole, in source units
 */
export function transformPolygons(
  m: MultiPolygon,
  t: (x: number, y: number) => [number, number],
  maxStep: number,
): MultiPolygon {
  return m.map((polygon) =>
    polygon.map((ring) => {
      const out: Position[] = [];
      for (let i = 0; i + 1 < ring.length; i++) {
        const [x0, y0] = ring[i]!;
        const [x1, y1] = ring[i + 1]!;
        const n = Math.min(
          1000,
          Math.max(1, Math.ceil(Math.max(Math.abs(x1 - x0), Math.abs(y1 - y0)) / maxStep)),
        );
        for (let k = 0; k < n; k++) {
          out.push(t(x0 + ((x1 - x0) * k) / n, y0 + ((y1 - y0) * k) / n));
        }
      }
      out.push([...out[0]!]);
      return out;
    }),
  );
}

const isCorner = (value: unknown): boolean =>
  Array.isArray(value) &&
  value.length === 2 &&
  value.every((one) => typeof one === "number" && Math.abs(one) < 1e7);

const isListOf = (value: unknown, least: number, is: (one: unknown) => boolean): boolean =>
  Array.isArray(value) && value.length >= least && value.every(is);

/** Whether something is polygons of rings with four corners or more, each of two numbers. */
export const isMultiPolygon = (value: unknown): value is MultiPolygon =>
  isListOf(value, 1, (rings) =>
    isListOf(rings, 1, (ring) => isListOf(ring, 4, (corner) => isCorner(corner))),
  );
