import {
  LONLAT,
  type Crs,
  type PointTransform,
  transformer,
  utm,
} from "@hindglance/core/geodesy/crs";
import { nearLongitude, withoutLeap } from "@hindglance/core/grid/globe";
import { type CoordinateSystem, type LonLatBox, crsOn, requireSystem } from "./systems";

/** Places in a coordinate system, such as the corners of an image: easting or longitude first. */
export type Places = readonly Place[];
type Place = readonly [x: number, y: number];

/** Longitudes around one of them, so that a box over the date line is not one around the Earth. */
function boxAround(points: Places): LonLatBox {
  const lons = withoutLeap(points).map(([lon]) => lon);
  const lats = points.map(([, lat]) => lat);
  const [west, east] = [Math.min(...lons), Math.max(...lons)];
  const isAll = east - west >= 360;
  return [
    isAll ? -180 : nearLongitude(west, 0),
    Math.min(...lats),
    isAll ? 180 : nearLongitude(east, 0),
    Math.max(...lats),
  ];
}

/** The ground that places lie on, good to the shift of the system; null where none can be placed. */
function groundOf({ projection }: CoordinateSystem, places: Places): LonLatBox | null {
  const plain: Crs = { code: "", proj4: `${projection} +no_defs` };
  const back: PointTransform = transformer(plain, LONLAT);
  const points = places.map(([x, y]) => back(x, y)).filter((point) => point.every(Number.isFinite));
  return points.length ? boxAround(points) : null;
}

/**
 * A coordinate system of the registry as it is computed at places that are given in it, or all over
 * its area of use.
 */
export function crsAt(system: CoordinateSystem, places: Places = []): Crs {
  return usualCrs(system.code) ?? crsOn(system, groundOf(system, places) ?? undefined);
}

/** WGS 84 and its UTM zones in the words that everything here has for them; null for other codes. */
function usualCrs(code: string): Crs | null {
  const [, south, zone] = /^EPSG:32([67])(\d\d)$/.exec(code) ?? [];
  if (code === LONLAT.code) {
    return LONLAT;
  }
  const number = Number(zone);
  return number >= 1 && number <= 60 ? utm(number, south === "7") : null;
}

/**
 * Definition of an EPSG code, from the table that ships with the application.
 * @param places where it is used, in the system itself: they decide which shift to WGS 84 is taken
 * @throws FormatError for a code that has no computable definition there
 */
export const crsOfEpsg = async (code: number, places: Places = []): Promise<Crs> =>
  usualCrs(`EPSG:${code}`) ?? crsAt(await requireSystem(`EPSG:${code}`), places);

/** The same for a place in longitude and latitude. @throws FormatError */
export async function crsOfEpsgAt(code: number, [lon, lat]: Place): Promise<Crs> {
  const west = nearLongitude(lon, 0);
  const name = `EPSG:${code}`;
  return usualCrs(name) ?? crsOn(await requireSystem(name), [west, lat, west, lat]);
}
