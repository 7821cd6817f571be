import { isRecord } from "@hindglance/core/values";
import type { Feature, Geometry } from "@hindglance/core/vector/features";
import { FormatError } from "../errors";
import { type SaidSystem, type VectorFile, type VectorLayer, stemOf } from "./layer";

const TYPES = [
  "Point",
  "MultiPoint",
  "LineString",
  "MultiLineString",
  "Polygon",
  "MultiPolygon",
] as const;
/** How deep lists of coordinates lie in each other, down to a single place. */
const DEPTH: Record<(typeof TYPES)[number], number> = {
  Point: 0,
  MultiPoint: 1,
  LineString: 1,
  MultiLineString: 2,
  Polygon: 2,
  MultiPolygon: 3,
};
/** Collections in collections that are followed. */
const MOST_NESTED = 8;

/** Whether a value is a list of numbers, in lists of so many levels. What is no number is found later. */
const isNested = (value: unknown, depth: number): boolean =>
  Array.isArray(value) &&
  value.every((one) => (depth === 0 ? !Array.isArray(one) : isNested(one, depth - 1)));

/** Lists of coordinates; what is no number in them becomes NaN. Lists of numbers stay as they are. */
function asPlaces(value: unknown, depth: number): unknown {
  if (!Array.isArray(value)) {
    return [];
  }
  const list: unknown[] = value;
  if (depth > 0) {
    return list.map((one) => asPlaces(one, depth - 1));
  }
  return list.every((one) => typeof one === "number")
    ? list
    : list.map((one) => (typeof one === "number" ? one : NaN));
}

/** A geometry of a feature. @throws FormatError with the feature's number */
function geometryOf(found: unknown, feature: number, nested = 0): Geometry | null {
  if (found == null) {
    return null;
  }
  const type = isRecord(found) ? found.type : undefined;
  if (isRecord(found) && type === "GeometryCollection" && nested < MOST_NESTED) {
    const parts: unknown[] = Array.isArray(found.geometries) ? found.geometries : [];
    const geometries = parts
      .map((part) => geometryOf(part, feature, nested + 1))
      .filter((part) => part !== null);
    return { type: "GeometryCollection", geometries };
  }
  const known = TYPES.find((one) => one === type);
  if (!known || !isRecord(found)) {
    throw new FormatError(
      "unsupported",
      `Feature ${feature} has a geometry of type ${String(type)}, which is none of GeoJSON`,
    );
  }
  if (!isNested(found.coordinates, DEPTH[known])) {
    throw new FormatError(
      "damaged",
      `The coordinates of feature ${feature} are not those of a ${known}`,
    );
  }
  // The lists were seen to have the depth of their type.
  // eslint-disable-next-line @typescript-eslint/no-unsafe-type-assertion
  return { type: known, coordinates: asPlaces(found.coordinates, DEPTH[known]) } as Geometry;
}

/** A bare geometry of GeoJSON. @throws FormatError where it is none */
export const geometryFrom = (found: unknown): Geometry | null => geometryOf(found, 1);

function featureOf(found: unknown, feature: number): Feature {
  const has = isRecord(found) && found.type === "Feature";
  if (!has) {
    throw new FormatError("damaged", `Item ${feature} of the collection is no feature`);
  }
  const { geometry, properties } = found;
  return {
    properties: isRecord(properties) ? properties : {},
    geometry: geometryOf(geometry, feature),
  };
}

/** Features of a GeoJSON object, or a geometry as the only one. @throws FormatError for another object */
function featuresOf(content: Record<string, unknown>): Feature[] {
  const { type, features } = content;
  if (type === "FeatureCollection" && Array.isArray(features)) {
    return features.map((found, k) => featureOf(found, k + 1));
  }
  if (type === "Feature") {
    return [featureOf(content, 1)];
  }
  const isGeometry = type === "GeometryCollection" || TYPES.some((one) => one === type);
  if (!isGeometry) {
    throw new FormatError(
      "unsupported",
      "This JSON holds no features",
      "GeoJSON with points, lines or polygons is needed.",
    );
  }
  return [{ properties: {}, geometry: geometryOf(content, 1) }];
}

/**
 * The system that an older file (GeoJSON of 2008) names; without a name it is longitude and latitude
 * on WGS 84. @throws FormatError for one in another form
 */
function systemOf({ crs }: Record<string, unknown>): SaidSystem {
  if (crs == null) {
    return "lonLat";
  }
  const properties = isRecord(crs) && isRecord(crs.properties) ? crs.properties : {};
  const name = String(properties.name ?? "");
  if (/(^|:)(CRS84|WGS ?84)$/i.test(name)) {
    return "lonLat";
  }
  const epsg = /EPSG:+(?:[\d.]*:)?(\d{4,6})$/i.exec(name)?.[1];
  if (!epsg) {
    throw new FormatError(
      "unsupported",
      `The file names its coordinate system "${name}", which is not known`,
      "Save it in longitude and latitude.",
    );
  }
  // GeoJSON has longitude first, whatever order a system is said to have.
  return epsg === "4326" ? "lonLat" : { epsg: Number(epsg) };
}

/**
 * Features of a GeoJSON text (RFC 7946, and the one of 2008 with its system): a collection, one
 * feature, or a bare geometry.
 *
 * @throws FormatError where it is no GeoJSON, with the number of the feature that is none
 */
export function readGeoJson({ name, bytes }: VectorFile): VectorLayer {
  let content: unknown;
  try {
    content = JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes));
  } catch {
    throw new FormatError("damaged", `${name} is not valid JSON`, "GeoJSON is needed.");
  }
  if (!isRecord(content)) {
    throw new FormatError("unsupported", `${name} holds no GeoJSON`);
  }
  return { name: stemOf(name), system: systemOf(content), features: featuresOf(content) };
}
