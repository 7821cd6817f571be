import type { Crs } from "../geodesy/crs";
import type { Ground } from "../sheet/marks";

/** Web Mercator, by which map programs cut the world into tiles. */
export const WEB_MERCATOR: Crs = {
  code: "EPSG:3857",
  proj4:
    "+proj=merc +a=6378137 +b=6378137 +lat_ts=0 +lon_0=0 +x_0=0 +y_0=0 +k=1 +units=m +nadgrids=@null +wktext +no_defs",
  name: "WGS 84 / Pseudo-Mercator",
};

/** A tile: its level and its place, counted from the upper left one. */
export interface WebTile {
  level: number;
  column: number;
  row: number;
}

/** Half of the side of the square of the world, metres. */
export const HALF_WORLD_M = 20_037_508.342789244;
/** Pixels of a side of a tile. */
export const TILE_PIXELS = 256;
/** Levels that tiles are handed out in. */
export const MOST_LEVEL = 22;

/** Whether there is such a tile. */
export const isWebTile = ({ level, column, row }: WebTile): boolean =>
  [level, column, row].every((one) => Number.isInteger(one) && one >= 0) &&
  level <= MOST_LEVEL &&
  column < 2 ** level &&
  row < 2 ** level;

/** Ground of a tile in metres of Web Mercator. */
export function tileGround({ level, column, row }: WebTile): Ground {
  const side = (2 * HALF_WORLD_M) / 2 ** level;
  const [west, north] = [column * side - HALF_WORLD_M, HALF_WORLD_M - row * side];
  return [west, north - side, west + side, north];
}

const latitude = (y: number): number =>
  (Math.atan(Math.sinh((y / HALF_WORLD_M) * Math.PI)) * 180) / Math.PI;

/** Ends of a tile in degrees, with some of its own size around it. @param room share of its side */
export function tileBox(tile: WebTile, room = 0): [number, number, number, number] {
  const [west, south, east, north] = tileGround(tile);
  const around = room * (east - west);
  const longitude = (x: number) => (180 * x) / HALF_WORLD_M;
  return [
    longitude(west - around),
    latitude(Math.max(-HALF_WORLD_M, south - around)),
    longitude(east + around),
    latitude(Math.min(HALF_WORLD_M, north + around)),
  ];
}
