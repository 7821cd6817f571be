import { type Crs, isSameCrs } from "../geodesy/crs";
import { InputError } from "../errors";

/**
 * Six numbers that take (column, row) to (x, y): x = x0 + col·dxCol + row·dxRow, y = y0 + col·dyCol
 * + row·dyRow.
 * THE pixel convention: column and row count cell *corners*. (0, 0) is the outer corner of the
 * first cell, whose
 * centre is (0.5, 0.5). Every other file imports this; nothing else decides it.
 */
export type Affine = readonly [
  x0: number,
  dxCol: number,
  dxRow: number,
  y0: number,
  dyCol: number,
  dyRow: number,
];

export interface Grid {
  readonly crs: Crs;
  readonly transform: Affine;
  readonly width: number;
  readonly height: number;
}

/** Part of a grid in cells. May reach beyond the grid: cells out there are nodata. */
export interface Window {
  readonly col: number;
  readonly row: number;
  readonly width: number;
  readonly height: number;
}

export const BLOCK = 512;

/** A north-up grid from its upper left corner and cell sizes, both positive. */
export function northUp(
  crs: Crs,
  x0: number,
  y0: number,
  cellX: number,
  cellY: number,
  width: number,
  height: number,
): Grid {
  if (!(cellX > 0) || !(cellY > 0)) {
    throw new InputError(`Cell size must be positive, not ${cellX} by ${cellY}`, "cellSize");
  }
  return { crs, transform: [x0, cellX, 0, y0, 0, -cellY], width, height };
}

/** Map coordinates of a place in cells; (0, 0) is the outer corner of the first cell. */
export function toMap(grid: Pick<Grid, "transform">, col: number, row: number): [number, number] {
  const transform = grid.transform;
  return [
    transform[0] + col * transform[1] + row * transform[2],
    transform[3] + col * transform[4] + row * transform[5],
  ];
}

/** Place in cells of map coordinates, the inverse of `toMap`. */
export function toCell(grid: Grid, x: number, y: number): [number, number] {
  const [x0, a, b, y0, c, delta] = grid.transform;
  const det = a * delta - b * c;
  const dx = x - x0;
  const dy = y - y0;
  return [(dx * delta - dy * b) / det, (dy * a - dx * c) / det];
}

/** Length of a cell's two sides in map units. */
export function cellSize(grid: Grid): [number, number] {
  const transform = grid.transform;
  return [Math.hypot(transform[1], transform[4]), Math.hypot(transform[2], transform[5])];
}

/**
 * The same ground at 2^level coarser cells. Sizes round up, so the last cell may reach past the
 * image.
 */
export function levelGrid(grid: Grid, level: number): Grid {
  if (level === 0) {
    return grid;
  }
  const s = 2 ** level;
  const transform = grid.transform;
  return {
    crs: grid.crs,
    transform: [
      transform[0],
      transform[1] * s,
      transform[2] * s,
      transform[3],
      transform[4] * s,
      transform[5] * s,
    ],
    width: Math.ceil(grid.width / s),
    height: Math.ceil(grid.height / s),
  };
}

/** Number of levels until the image fits one block, the full image included. */
export function levelCount(width: number, height: number, block = BLOCK): number {
  let n = 1;
  for (let m = Math.max(width, height); m > block; m = Math.ceil(m / 2)) {
    n++;
  }
  return n;
}

/** Whether two grids have the same cells, corners within a tolerance in cells. */
export function sameGrid(grid: Grid, b: Grid, toleranceCells = 1e-3): boolean {
  if (!isSameCrs(grid.crs, b.crs) || grid.width !== b.width || grid.height !== b.height) {
    return false;
  }
  return (
    [
      [0, 0],
      [grid.width, 0],
      [0, grid.height],
    ] as const
  ).every(([c, r]) => {
    const [x, y] = toMap(grid, c, r);
    const [bc, br] = toCell(b, x, y);
    return Math.abs(bc - c) <= toleranceCells && Math.abs(br - r) <= toleranceCells;
  });
}

/** The window of a whole grid. */
export const fullWindow = (size: { width: number; height: number }): Window => ({
  col: 0,
  row: 0,
  width: size.width,
  height: size.height,
});

/** A window with a halo on every side; it may reach beyond the grid. */
export const grow = (w: Window, halo: number): Window => ({
  col: w.col - halo,
  row: w.row - halo,
  width: w.width + 2 * halo,
  height: w.height + 2 * halo,
});

/** What two windows have in common, or null where that is nothing. */
export function intersect(a: Window, b: Window): Window | null {
  const col = Math.max(a.col, b.col);
  const row = Math.max(a.row, b.row);
  const width = Math.min(a.col + a.width, b.col + b.width) - col;
  const height = Math.min(a.row + a.height, b.row + b.height) - row;
  return width > 0 && height > 0 ? { col, row, width, height } : null;
}

/** Blocks that cover a grid, row by row; those at the right and lower edge are cut to the grid. */
export function* blockWindows(
  size: { width: number; height: number },
  block = BLOCK,
): Generator<Window> {
  for (let row = 0; row < size.height; row += block) {
    for (let col = 0; col < size.width; col += block) {
      yield {
        col,
        row,
        width: Math.min(block, size.width - col),
        height: Math.min(block, size.height - row),
      };
    }
  }
}

/**
 * Corners of a grid as a closed ring of map coordinates, clockwise from the first cell, each side
 * cut in `parts`.
 */
export function outline(grid: Grid, parts = 8): [number, number][] {
  const ring: [number, number][] = [];
  const corners: [number, number][] = [
    [0, 0],
    [grid.width, 0],
    [grid.width, grid.height],
    [0, grid.height],
    [0, 0],
  ];
  for (let i = 0; i < 4; i++) {
    for (let k = 0; k < parts; k++) {
      const t = k / parts;
      ring.push(
        toMap(
          grid,
          corners[i]![0] + (corners[i + 1]![0] - corners[i]![0]) * t,
          corners[i]![1] + (corners[i + 1]![1] - corners[i]![1]) * t,
        ),
      );
    }
  }
  ring.push(ring[0]!);
  return ring;
}

/**
 * Whether rows run north to south, columns west to east, and cells are square (to a millionth):
 * what maps are drawn and made on.
 */
export function isSquareNorthUp(grid: Grid): boolean {
  const [, a, b, , c, dy] = grid.transform;
  return b === 0 && c === 0 && a > 0 && dy < 0 && Math.abs(a + dy) <= 1e-6 * a;
}

/**
 * The same ground on a north-up grid of square cells: the grid itself where it is one, else the box
 * around it at its smaller cell size.
 */
export function squareNorthUp(grid: Grid): Grid {
  if (isSquareNorthUp(grid)) {
    return grid;
  }
  const cell = Math.min(...cellSize(grid));
  const ring = outline(grid, 1);
  const xs = ring.map((point) => point[0]);
  const ys = ring.map((point) => point[1]);
  const x0 = Math.min(...xs);
  const y0 = Math.max(...ys);
  const slack = 1e-6;
  return northUp(
    grid.crs,
    x0,
    y0,
    cell,
    cell,
    Math.ceil((Math.max(...xs) - x0) / cell - slack),
    Math.ceil((y0 - Math.min(...ys)) / cell - slack),
  );
}
