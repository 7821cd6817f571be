import { type Grid, toCell, toMap } from "@hindglance/core/grid/grid";
import type { MultiPolygon, Position } from "@hindglance/core/vector/polygons";

const moved = (polygons: MultiPolygon, to: (x: number, y: number) => Position): MultiPolygon =>
  polygons.map((rings) => rings.map((ring) => ring.map(([x, y]) => to(x, y))));

/** Polygons in the coordinates of a map, in its cells. */
export const inCells = (polygons: MultiPolygon, grid: Grid): MultiPolygon =>
  moved(polygons, (x, y) => toCell(grid, x, y));

/** Polygons in cells of a map, in its coordinates. */
export const onMap = (polygons: MultiPolygon, grid: Grid): MultiPolygon =>
  moved(polygons, (col, row) => toMap(grid, col, row));
