import { type Crs, isGeographic, metresPerUnit } from "../geodesy/crs";
import { type Grid, cellSize } from "./grid";

/** Metres of a degree of latitude, and about those of one of longitude at the equator. */
export const METRES_A_DEGREE = 111_320;

/** Metres of a unit of a system's coordinates; of a degree, as if at the equator. */
export const metresOfUnit = (crs: Crs): number =>
  isGeographic(crs) ? METRES_A_DEGREE : metresPerUnit(crs);

/** The longer side of a grid's cells in metres; of degrees, as if at the equator. */
export const largestCellM = (grid: Grid): number =>
  Math.max(...cellSize(grid)) * metresOfUnit(grid.crs);

/** Length of a cell's first side as it is told: metres, or degrees on a grid of degrees. */
export const toldCellSize = (grid: Grid): number => cellSize(grid)[0] * metresPerUnit(grid.crs);

/** Cell size of a grid in metres, for people: of one in degrees to the whole metre. */
export const shownCellM = (grid: Grid): number =>
  isGeographic(grid.crs)
    ? Math.round(grid.transform[1] * METRES_A_DEGREE)
    : Number((grid.transform[1] * metresPerUnit(grid.crs)).toPrecision(9));
