import { isGeographic } from "../geodesy/crs";
import type { Grid } from "../grid/grid";
import { toldCellSize } from "../grid/metres";

/** Cell size of a grid with its unit. */
export function gridText(grid: Grid): string {
  const cell = toldCellSize(grid);
  return isGeographic(grid.crs) ? `${cell.toFixed(6)}°` : `${cell.toFixed(cell % 1 ? 1 : 0)} m`;
}
