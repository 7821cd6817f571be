import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { ORIGIN, worldGrid } from "./ground";

type Ring = [number, number][];
const toLonLat = transformer(worldGrid().crs, LONLAT);
/**
 * Longitude and latitude of a place given in kilometres east and south of the north-west corner.
 */
export const placeOf = ([x, y]: [number, number]): [number, number] => {
  const [lon, lat] = toLonLat(ORIGIN[0] + x * 1000, ORIGIN[1] - y * 1000);
  return [Math.round(lon * 1e6) / 1e6, Math.round(lat * 1e6) / 1e6];
};
/**
 * A polygon of places in kilometres east and south of the north-west corner. RFC 7946 wants shells
 * counter-clockwise.
 */
export const polygonOf = (r: Ring) => {
  const area = r.reduce((s, point, i) => {
    const next = r[(i + 1) % r.length]!;
    return s + point[0] * next[1] - next[0] * point[1];
  }, 0);
  const ring = (area > 0 ? [...r].reverse() : r).map(placeOf);
  return { type: "Polygon" as const, coordinates: [[...ring, ring[0]!]] };
};

const hub: [number, number] = [12.2, 9.2];
const west: [number, number] = [9.3, 9.4];
const east: [number, number] = [15.6, 10.2];
/** The five districts; together they cover the island. */
export const DISTRICTS: Record<string, Ring> = {
  Eastmarch: [east, [16.4, 6.2], [24, 4.2], [24, 14.6], [16.8, 12.6]],
  Lowfen: [west, hub, east, [16.8, 12.6], [12.6, 13.6], [8.2, 13.2]],
  Tolm: [hub, [11, 0], [24, 0], [24, 4.2], [16.4, 6.2], east],
  Quill: [
    [8.2, 13.2],
    [12.6, 13.6],
    [16.8, 12.6],
    [24, 14.6],
    [24, 20],
    [6.4, 20],
  ],
  "Harrow Bay": [[0, 0], [11, 0], hub, west, [8.2, 13.2], [6.4, 20], [0, 20]],
};

/** The districts as GeoJSON polygons. */
export const districtsGeoJson = () => ({
  type: "FeatureCollection",
  features: Object.entries(DISTRICTS).map(([name, r]) => ({
    type: "Feature",
    properties: { name },
    geometry: polygonOf(r),
  })),
});

/**
 * The area asked about: the Ombrel plain from the dam to the harbour, with the hills on both sides.
 */
export const STUDY_AREA: Ring = [
  [3.0, 6.0],
  [9.5, 4.9],
  [16.4, 4.0],
  [22.2, 5.4],
  [22.9, 13.8],
  [16.0, 15.2],
  [9.0, 14.8],
  [3.2, 13.8],
];

/** The study area of the flood as GeoJSON. */
export const studyAreaGeoJson = () => ({
  type: "Feature",
  properties: { name: "Ombrel plain" },
  geometry: polygonOf(STUDY_AREA),
});

/** The ridge in the north-east where the heath burned, with unburned ground around it. */
export const FIRE_AREA: Ring = [
  [11.8, 1.2],
  [17.0, 0.6],
  [22.0, 2.6],
  [22.4, 6.6],
  [17.2, 8.2],
  [12.2, 7.4],
];

/** The study area of the fire as GeoJSON. */
export const fireAreaGeoJson = () => ({
  type: "Feature",
  properties: { name: "Tolm Ridge" },
  geometry: polygonOf(FIRE_AREA),
});
