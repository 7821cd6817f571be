import { isGeographic } from "@hindglance/core/geodesy/crs";
import type { Grid } from "@hindglance/core/grid/grid";
import { toldCellSize } from "@hindglance/core/grid/metres";
import { number } from "../../lib/format";

/** Decimals that the size of a cell is written with. */
export function cellDecimals(size: number): number {
  if (size < 1) {
    return 5;
  }
  return size % 1 ? 1 : 0;
}

/** A grid in a line: cells, their size, the system. */
export function gridWords(grid: Grid): string {
  const { width, height, crs } = grid;
  const size = toldCellSize(grid);
  const unit = isGeographic(crs) ? "°" : "m";
  const cell = `${number(size, cellDecimals(size))} ${unit}`;
  return `${number(width)} × ${number(height)} cells of ${cell}, ${crs.name ?? crs.code}`;
}
