import { InputError } from "../errors";
import { isSameCrs } from "../geodesy/crs";
import {
  type Grid,
  type Window,
  cellSize,
  fullWindow,
  grow,
  intersect,
  toCell,
  toMap,
} from "./grid";

/** Where a grid's first cell lies in another grid of the same cells. */
export interface Offset {
  col: number;
  row: number;
}

/**
 * The smallest grid that holds several grids of one CRS, cell size and raster of cells, and where
 * each of them lies in it.
 * @param names for messages, one a grid
 * @throws InputError naming the grid that does not fit: another CRS, cell size, or cells that do
 * not fall on the first one's to a hundredth of a cell
 */
export function unionGrid(
  grids: readonly Grid[],
  names: readonly string[],
): { grid: Grid; offsets: Offset[] } {
  const first = grids[0];
  if (!first) {
    throw new InputError("There is no grid to join", "grids");
  }
  const at = grids.map((grid, i) => {
    const name = names[i] ?? `Image ${i + 1}`;
    if (!isSameCrs(grid.crs, first.crs)) {
      throw new InputError(
        `${name} is in ${grid.crs.code}, ${names[0] ?? "the first"} in ${first.crs.code}`,
        "crs",
        "Only images of one reference system can be joined cell by cell.",
      );
    }
    const [a, b] = [cellSize(grid), cellSize(first)];
    if (Math.abs(a[0] / b[0] - 1) > 1e-6 || Math.abs(a[1] / b[1] - 1) > 1e-6) {
      throw new InputError(
        `${name} has cells of ${a[0]} x ${a[1]}, ${names[0] ?? "the first"} of ${b[0]} x ${b[1]}`,
        "cellSize",
        "Only images of one cell size can be joined cell by cell.",
      );
    }
    const [c, r] = toCell(first, ...toMap(grid, 0, 0));
    const [c1, r1] = toCell(first, ...toMap(grid, grid.width, grid.height));
    const col = Math.round(c);
    const row = Math.round(r);
    if (
      Math.max(
        Math.abs(c - col),
        Math.abs(r - row),
        Math.abs(c1 - col - grid.width),
        Math.abs(r1 - row - grid.height),
      ) > 0.01
    ) {
      throw new InputError(
        `The cells of ${name} do not fall on those of ${names[0] ?? "the first"}`,
        "origin",
        "They differ by a part of a cell: put them on one grid first.",
      );
    }
    return { col, row, right: col + grid.width, bottom: row + grid.height };
  });
  const col0 = Math.min(...at.map((x) => x.col));
  const row0 = Math.min(...at.map((x) => x.row));
  return {
    grid: cutGrid(first, {
      col: col0,
      row: row0,
      width: Math.max(...at.map((x) => x.right)) - col0,
      height: Math.max(...at.map((x) => x.bottom)) - row0,
    }),
    offsets: at.map((x) => ({ col: x.col - col0, row: x.row - row0 })),
  };
}

/**
 * The part of a grid that a window shows, on the same cells; the window may reach past the grid.
 */
export function cutGrid(grid: Grid, w: Window): Grid {
  const [x, y] = toMap(grid, w.col, w.row);
  const transform = grid.transform;
  return {
    crs: grid.crs,
    transform: [x, transform[1], transform[2], y, transform[4], transform[5]],
    width: w.width,
    height: w.height,
  };
}

/**
 * Cells of a grid whose box holds points of its CRS, with a margin; null when none of them lies on
 * it.
 */
export function windowAround(
  grid: Grid,
  points: readonly (readonly [number, number])[],
  marginCells: number,
): Window | null {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of points) {
    const [c, r] = toCell(grid, x, y);
    if (Number.isFinite(c) && Number.isFinite(r)) {
      left = Math.min(left, c);
      right = Math.max(right, c);
      top = Math.min(top, r);
      bottom = Math.max(bottom, r);
    }
  }
  if (left === Infinity) {
    return null;
  }
  const [c0, r0] = [Math.floor(left), Math.floor(top)];
  const [c1, r1] = [Math.ceil(right), Math.ceil(bottom)];
  const inner = intersect(
    { col: c0, row: r0, width: Math.max(1, c1 - c0), height: Math.max(1, r1 - r0) },
    fullWindow(grid),
  );
  return (
    inner &&
    intersect(
      grow(
        { col: c0, row: r0, width: Math.max(1, c1 - c0), height: Math.max(1, r1 - r0) },
        marginCells,
      ),
      fullWindow(grid),
    )
  );
}
