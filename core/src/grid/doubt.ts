import { isSensorFrame } from "./frames";
import type { Grid } from "./grid";
import { largestCellM } from "./metres";

/** A shift is good enough where it is better than this part of a cell. */
const PART = 0.5;

/** Metres with as many figures as say something. */
const metres = (value: number): string =>
  value < 10 ? String(Number(value.toPrecision(2))) : String(Math.round(value));

/** Whether a system is on the ellipsoid that came with satellites (GRS 80, or that of WGS 84). */
const isOfSatellites = ({ crs }: Grid): boolean =>
  /\+a=6378137(\.0*)? \+rf=298\.2572/.test(crs.proj4);

/**
 * What has to be said of where a grid lies; null where nothing has: its coordinate system is tied to
 * WGS 84 to better than half a cell, or it is not on the map at all.
 */
export function positionDoubt(grid: Grid): string | null {
  const { code, name, accuracy } = grid.crs;
  const called = name ? `${name} (${code})` : code;
  if (isSensorFrame(grid.crs) || accuracy === undefined) {
    return null;
  }
  if (accuracy === null && isOfSatellites(grid)) {
    return `How ${called} lies to WGS 84 is not stated anywhere; systems on its ellipsoid usually differ by no more than metres.`;
  }
  if (accuracy === null) {
    return `How ${called} lies to WGS 84 is not known without a shift grid: the position may be off by some hundred metres. Check it in Align against a scene that lies right.`;
  }
  const cell = largestCellM(grid);
  return accuracy > PART * cell
    ? `The position may be off by ${metres(accuracy)} m, and cells are ${metres(cell)} m: the shift of ${called} to WGS 84 is not known better without a grid. Check it in Align against a scene that lies right.`
    : null;
}
