import { InputError } from "../errors";
import { type Crs, isSameCrs, transformer } from "../geodesy/crs";
import { type Grid, cellSize, isSquareNorthUp, northUp, outline, toMap } from "./grid";

/** Digits that are kept of a cell size nobody asked for. */
const DIGITS = 3;
/** What lies this part of a cell past a line of cells lies on it. */
const SLACK = 1e-6;
/** Places along each side of a grid by which its ends in another system are found. */
const PARTS = 64;

/**
 * The cell size in another system that is nearest to a grid's own, by what a cell in its middle comes
 * to; three digits of it.
 */
function ownCellSize(grid: Grid, crs: Crs): number {
  if (isSameCrs(grid.crs, crs)) {
    return Math.min(...cellSize(grid));
  }
  const onto = transformer(grid.crs, crs);
  const [col, row] = [grid.width / 2, grid.height / 2];
  const at = (c: number, r: number) => onto(...toMap(grid, c, r));
  const [[x, y], [xa, ya], [xd, yd]] = [at(col, row), at(col + 1, row), at(col, row + 1)];
  const mean = Math.sqrt(Math.hypot(xa - x, ya - y) * Math.hypot(xd - x, yd - y));
  return Number(mean.toPrecision(DIGITS));
}

/**
 * The ground of a grid on a north-up grid of another system: square cells whose corners lie on whole
 * multiples of their size, so that files of one size fit onto each other.
 * @param cell side of a cell in units of the system; null: about that of the grid
 * @returns the grid itself where it is in that system, square and of that size already
 * @throws InputError where the ground does not lie in the system
 */
export function gridInSystem(grid: Grid, crs: Crs, cell: number | null): Grid {
  const size = cell ?? ownCellSize(grid, crs);
  const isSame = isSameCrs(grid.crs, crs) && isSquareNorthUp(grid);
  if (isSame && Math.abs(size - cellSize(grid)[0]) < SLACK * size) {
    return grid;
  }
  const onto = transformer(grid.crs, crs);
  const ring = outline(grid, PARTS).map(([x, y]) => onto(x, y));
  const [xs, ys] = [ring.map(([x]) => x), ring.map(([, y]) => y)];
  if (![...xs, ...ys].every(Number.isFinite)) {
    throw new InputError(
      `The image does not lie where ${crs.code} is defined`,
      "epsg",
      "Pick a system of this place, such as its UTM zone.",
    );
  }
  const down = (value: number) => Math.floor(value / size + SLACK);
  const up = (value: number) => Math.ceil(value / size - SLACK);
  const [west, east] = [down(Math.min(...xs)), up(Math.max(...xs))];
  const [south, north] = [down(Math.min(...ys)), up(Math.max(...ys))];
  return northUp(crs, west * size, north * size, size, size, east - west, north - south);
}
