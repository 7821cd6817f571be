import { isGeographic } from "../geodesy/crs";
import type { Grid } from "../grid/grid";

/** Cell size of a grid with its unit. */
export function gridText({ crs, transform }: Grid): string {
  const cell = transform[1];
  return isGeographic(crs) ? `${cell.toFixed(6)}°` : `${cell.toFixed(cell % 1 ? 1 : 0)} m`;
}
