import { levelGrid, toCell } from "@hindglance/core/grid/grid";
import { type Histogram, addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { NodeCells } from "./nodeCells";

/** Level whose cells are nearest in size to a pixel of the screen. */
export const levelFor = (nodeView: NodeCells["node"], resolution: number): number =>
  Math.max(
    0,
    Math.min(
      nodeView.levels - 1,
      Math.round(Math.log2(resolution / Math.abs(nodeView.info.grid.transform[1]))),
    ),
  );

/**
 * Histogram of what is on screen of a band: cells of the loaded tiles inside an extent of the map;
 * null where none is. Values outside the middle lie in the bins too: its ends are those of the
 * values.
 */
export function viewHistogram(
  cells: NodeCells,
  extent: readonly number[],
  resolution: number,
  band: number,
): Histogram | null {
  for (let level = levelFor(cells.node, resolution); level < cells.node.levels; level++) {
    const grid = levelGrid(cells.node.info.grid, level);
    const [a, b] = toCell(grid, extent[0]!, extent[3]!);
    const [c, distance] = toCell(grid, extent[2]!, extent[1]!);
    const col0 = Math.max(0, Math.floor(Math.min(a, c)));
    const col1 = Math.min(grid.width, Math.ceil(Math.max(a, c)));
    const row0 = Math.max(0, Math.floor(Math.min(b, distance)));
    const row1 = Math.min(grid.height, Math.ceil(Math.max(b, distance)));
    if (col1 <= col0 || row1 <= row0) {
      return null;
    }
    const values = cells.valuesIn(
      level,
      { col: col0, row: row0, width: col1 - col0, height: row1 - row0 },
      band,
    );
    let lo = Infinity;
    let hi = -Infinity;
    for (const value of values) {
      if (value - value === 0) {
        if (value < lo) {
          lo = value;
        }
        if (value > hi) {
          hi = value;
        }
      }
    }
    if (!(hi >= lo)) {
      continue;
    }
    const histogram = emptyHistogram(lo, hi > lo ? hi : lo + 1e-6, 256);
    addToHistogram(histogram, values);
    return histogram;
  }
  return null;
}
