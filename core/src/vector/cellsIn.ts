import type { Grid } from "../grid/grid";
import { windowAround } from "../grid/union";
import type { MultiPolygon } from "./polygons";
import { rasteriseSpans } from "./rasterise";

/** How many cells of a grid have their centres in polygons. @param polygons in the coordinates of the grid */
export function cellsIn(polygons: MultiPolygon, grid: Grid): number {
  const window = windowAround(grid, polygons.flat(2), 0);
  let count = 0;
  if (window) {
    rasteriseSpans(polygons, grid, window, (_row, from, to) => {
      count += to - from;
    });
  }
  return count;
}
