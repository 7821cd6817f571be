import { isGeographic, metresPerUnit } from "../geodesy/crs";
import type { Grid } from "../grid/grid";

/** Cell size of a grid with its unit. */
export function gridText({ crs, transform }: Grid): string {
  const cell = isGeographic(crs) ? transform[1] : transform[1] * metresPerUnit(crs);
  return isGeographic(crs) ? `${cell.toFixed(6)}°` : `${cell.toFixed(cell % 1 ? 1 : 0)} m`;
}
