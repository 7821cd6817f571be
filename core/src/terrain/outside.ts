import type { Grid, Window } from "../grid/grid";
import { SEA_LEVEL_RANGE } from "../geodesy/geoid";
import { seaLevelIn } from "./seaLevel";

/** What can stand for heights where an elevation ends. */
export const OUTSIDE = ["nodata", "ellipsoid", "seaLevel"] as const;
export type Outside = (typeof OUTSIDE)[number];

/**
 * Heights above the ellipsoid with what stands for them where there are none: nodata, the ellipsoid
 * or sea level. @param heights cells of the window, NaN where there is no elevation
 * @param level of the grid: 0 is full resolution
 * @throws InputError for sea level where no geoid was named
 */
export function heightsWith(
  outside: Outside,
  heights: Float32Array,
  grid: Grid,
  w: Window,
  level: number,
): Float32Array {
  if (outside === "nodata" || heights.every((height) => height === height)) {
    return heights;
  }
  const sea = outside === "seaLevel" ? seaLevelIn(grid, w, level) : null;
  return heights.map((height, i) => {
    if (height === height) {
      return height;
    }
    return sea ? sea[i]! : 0;
  });
}

/** Lowest and highest that ground can lie with what stands for it beyond an elevation of some range. */
export function rangeWith(
  outside: Outside,
  [low, high]: readonly [number, number],
): [number, number] {
  switch (outside) {
    case "nodata":
      return [low, high];
    case "ellipsoid":
      return [Math.min(0, low), Math.max(0, high)];
    default:
      return [Math.min(SEA_LEVEL_RANGE[0], low), Math.max(SEA_LEVEL_RANGE[1], high)];
  }
}
