import { ontoGlobeAround } from "../grid/globe";
import { type Grid, toMap } from "../grid/grid";

/** Ends in degrees. */
export interface Bounds {
  west: number;
  south: number;
  east: number;
  north: number;
}

/**
 * Ends in degrees of the least window of a grid that holds some of its corners of cells.
 * @param points columns and rows
 */
export function boundsOnGlobe(points: readonly (readonly [number, number])[], grid: Grid): Bounds {
  const pointTransform = ontoGlobeAround(grid);
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (const [col, row] of points) {
    left = Math.min(left, col);
    right = Math.max(right, col);
    top = Math.min(top, row);
    bottom = Math.max(bottom, row);
  }
  const corners = (
    [
      [left, top],
      [right, top],
      [right, bottom],
      [left, bottom],
    ] as const
  ).map(([col, row]) => pointTransform(...toMap(grid, col, row)));
  const lon = corners.map((corner) => corner[0]);
  const lat = corners.map((corner) => corner[1]);
  return {
    west: Math.min(...lon),
    south: Math.min(...lat),
    east: Math.max(...lon),
    north: Math.max(...lat),
  };
}
