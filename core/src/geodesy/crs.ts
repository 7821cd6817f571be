import proj4 from "proj4";
import { InputError } from "../errors";

/**
 * A coordinate reference system: `code` is what people and files call it ("EPSG:32727"), `proj4` is
 * the
 * definition that computes it. The definition travels with the grid so that workers and browsers
 * need no table.
 */
export interface Crs {
  readonly code: string;
  readonly proj4: string;
  readonly name?: string;
}

export const LONLAT: Crs = {
  code: "EPSG:4326",
  proj4: "+proj=longlat +datum=WGS84 +no_defs",
  name: "WGS 84",
};

export type PointTransform = (x: number, y: number) => [number, number];

/** Universal Transverse Mercator on WGS 84; zone 1–60. */
export function utm(zone: number, south: boolean): Crs {
  if (!Number.isInteger(zone) || zone < 1 || zone > 60) {
    throw new InputError(`UTM zone must be 1 to 60, not ${zone}`, "zone");
  }
  return {
    code: `EPSG:${(south ? 32700 : 32600) + zone}`,
    proj4: `+proj=utm +zone=${zone}${south ? " +south" : ""} +datum=WGS84 +units=m +no_defs`,
    name: `WGS 84 / UTM zone ${zone}${south ? "S" : "N"}`,
  };
}

/** Whether coordinates are longitude and latitude in degrees. */
export function isGeographic(crs: Crs): boolean {
  return /\+proj=(longlat|latlong)/.test(crs.proj4);
}

const cache = new Map<string, PointTransform>();

/**
 * Transform of coordinates between two systems; easting/longitude first. Points that cannot be
 * transformed give NaN.
 * @throws InputError when a definition cannot be read
 */
export function transformer(from: Crs, to: Crs): PointTransform {
  if (from.proj4 === to.proj4) {
    return (x, y) => [x, y];
  }
  const key = `${from.proj4}|${to.proj4}`;
  let pointTransform = cache.get(key);
  if (!pointTransform) {
    let converter: proj4.Converter;
    try {
      converter = proj4(from.proj4, to.proj4);
    } catch {
      throw new InputError(
        `The coordinate system ${from.code} or ${to.code} cannot be computed`,
        "crs",
      );
    }
    pointTransform = (x, y) => {
      try {
        const r = converter.forward([x, y]);
        return [r[0]!, r[1]!];
      } catch {
        return [NaN, NaN];
      }
    };
    cache.set(key, pointTransform);
  }
  return pointTransform;
}
