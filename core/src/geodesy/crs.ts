import proj4 from "proj4";
import { InputError } from "../errors";

/**
 * A coordinate reference system: `code` is what people and files call it ("EPSG:32727"), `proj4` is
 * the definition that computes it. The definition travels with the grid so that workers and browsers
 * need no table.
 */
export interface Crs {
  readonly code: string;
  readonly proj4: string;
  readonly name?: string;
  /**
   * How far off its shift to WGS 84 may put a place, in metres, as the registry states. Absent where
   * there is no shift; null where it is not known.
   */
  readonly accuracy?: number | null;
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

/** Metres of units that definitions name by a word. */
const UNIT_METRES: Record<string, number> = {
  m: 1,
  km: 1000,
  ft: 0.3048,
  "us-ft": 1200 / 3937,
  "ind-ft": 0.30479841,
  yd: 0.9144,
};

/**
 * Metres of the unit of a system's coordinates, by its definition; 1 for those of degrees, of sensors
 * and of pictures.
 */
export function metresPerUnit({ proj4: definition }: Crs): number {
  const given = Number(/\+to_meter=(\S+)/.exec(definition)?.[1]);
  const unit = /\+units=(\S+)/.exec(definition)?.[1];
  return given > 0 ? given : (UNIT_METRES[unit ?? "m"] ?? 1);
}

/**
 * Whether coordinates of two systems mean the same: one definition, or one code of the registry, which
 * may have been given different shifts for different ground.
 */
export const isSameCrs = (a: Crs, b: Crs): boolean =>
  a.proj4 === b.proj4 || (a.code === b.code && /^(EPSG|ESRI):/.test(a.code));

const cache = new Map<string, PointTransform>();

/**
 * Transform of coordinates between two systems; easting/longitude first. Points that cannot be
 * transformed give NaN.
 * @throws InputError when a definition cannot be read
 */
export function transformer(from: Crs, to: Crs): PointTransform {
  if (isSameCrs(from, to)) {
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
        // Axes that do not run east and north are turned.
        const r = converter.forward([x, y], true);
        return [r[0]!, r[1]!];
      } catch {
        return [NaN, NaN];
      }
    };
    cache.set(key, pointTransform);
  }
  return pointTransform;
}
