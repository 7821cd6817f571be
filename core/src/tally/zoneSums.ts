import type { Operator } from "../change/rules";
import type { CellAreas } from "../grid/area";
import type { Window } from "../grid/grid";

/**
 * Of one zone on one date: cells and area that are seen, those of them beyond a value, and the sum
 * of what is seen (of power, where values are decibels).
 */
export interface ZoneSum {
  cells: number;
  seenM2: number;
  beyondCells: number;
  beyondM2: number;
  sum: number;
}

const beyond: Record<Operator, (value: number, at: number) => boolean> = {
  "<": (value, at) => value < at,
  "<=": (value, at) => value <= at,
  ">": (value, at) => value > at,
  ">=": (value, at) => value >= at,
  "=": (value, at) => value === at,
  "!=": (value, at) => value !== at,
};

/**
 * Adds a window of one date to the sums of its zones.
 * @param values w.width x w.height, NaN = not seen; @param zone number of the zone of each cell, or
 * null for all in zone 0
 * @param sums one a zone; added to
 */
export function addZoneSums(
  values: Float32Array,
  zone: Uint16Array | null,
  w: Window,
  areas: CellAreas,
  op: Operator,
  at: number,
  decibel: boolean,
  sums: ZoneSum[],
): void {
  const test = beyond[op];
  for (let r = 0, i = 0; r < w.height; r++) {
    for (let c = 0; c < w.width; c++, i++) {
      const value = values[i]!;
      if (value !== value) {
        continue;
      }
      const zoneSum = sums[zone ? zone[i]! : 0]!;
      const m2 = areas.cell(w.col + c, w.row + r);
      zoneSum.cells++;
      zoneSum.seenM2 += m2;
      zoneSum.sum += decibel ? 10 ** (value / 10) : value;
      if (test(value, at)) {
        zoneSum.beyondCells++;
        zoneSum.beyondM2 += m2;
      }
    }
  }
}

/** Sums by zone before anything was counted; place 0 is outside of all zones. */
export const noZoneSums = (zones: number): ZoneSum[] =>
  Array.from({ length: zones }, () => ({
    cells: 0,
    seenM2: 0,
    beyondCells: 0,
    beyondM2: 0,
    sum: 0,
  }));

/** Sums of two parts as those of both. */
export const mergeZoneSums = (a: readonly ZoneSum[], b: readonly ZoneSum[]): ZoneSum[] =>
  a.map((zoneSum, k) => ({
    cells: zoneSum.cells + b[k]!.cells,
    seenM2: zoneSum.seenM2 + b[k]!.seenM2,
    beyondCells: zoneSum.beyondCells + b[k]!.beyondCells,
    beyondM2: zoneSum.beyondM2 + b[k]!.beyondM2,
    sum: zoneSum.sum + b[k]!.sum,
  }));
/** Mean of what is seen, in decibels where values are; null where nothing is. */
export const meanOfZone = (zoneSum: ZoneSum, decibel: boolean): number | null => {
  if (zoneSum.cells === 0) {
    return null;
  }
  const m = zoneSum.sum / zoneSum.cells;
  if (decibel) {
    if (m > 0) {
      return 10 * Math.log10(m);
    }
    return null;
  }
  return m;
};
