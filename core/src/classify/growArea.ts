import { areaOnGrid } from "../change/areaOnGrid";
import { InputError } from "../errors";
import type { Evaluator } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { ontoGlobe } from "../grid/globe";
import {
  type Grid,
  type Window,
  cellSize,
  fullWindow,
  grow,
  intersect,
  toCell,
  toMap,
} from "../grid/grid";
import { cutGrid } from "../grid/union";
import { polygonise } from "../patches/polygonise";
import { runsOf } from "../patches/runs";
import { realCells } from "../raster/block";
import { cellsIn } from "../vector/cellsIn";
import { type MultiPolygon, transformPolygons } from "../vector/polygons";

/** Cells that are looked at to each side of the one that ground grows from. */
export const GROWN_REACH = 256;

/** The greatest spectral distance that ground can grow to. */
export const MOST_DISTANCE = 2;

/** Level of cells that are farther than the greatest distance, or have no number. */
const BEYOND = 255;

/** Ground around a cell by how unlike it is. */
export interface Grown {
  /** Of the cells that were looked at. */
  grid: Grid;
  /**
   * By cell, row by row: the least distance at which ground from the first cell comes to it, in 254
   * steps of the greatest distance, upwards; 255: it does not.
   */
  levels: Uint8Array;
  /** Standard deviation of each band over all cells that were looked at. */
  spreads: number[];
}

/** Ground up to a distance as an area. */
export interface GrownArea {
  cells: number;
  /** Whether it ends where nothing was looked at any more. */
  isCut: boolean;
  /** In longitude and latitude, along the sides of cells. */
  polygons: MultiPolygon;
}

/** Size of an image of cells. */
type Size = Pick<Window, "width" | "height">;

/** Mean of a band over the cells beside one and itself; NaN where it has no number. */
function meanAbout(band: Float32Array, { width, height }: Size, cell: number): number {
  const [col, row] = [cell % width, Math.floor(cell / width)];
  let sum = 0;
  let count = 0;
  for (let r = Math.max(0, row - 1); r <= Math.min(height - 1, row + 1); r++) {
    for (let c = Math.max(0, col - 1); c <= Math.min(width - 1, col + 1); c++) {
      const value = band[r * width + c]!;
      if (!Number.isNaN(value)) {
        sum += value;
        count++;
      }
    }
  }
  return Number.isNaN(band[cell]!) ? NaN : sum / count;
}

/** Standard deviation of the numbers of a band; 1 where they are all alike. */
function spreadOf(band: Float32Array): number {
  let [count, mean, squares] = [0, 0, 0];
  for (const value of band) {
    if (!Number.isNaN(value)) {
      count++;
      const off = value - mean;
      mean += off / count;
      squares += off * (value - mean);
    }
  }
  return squares > 0 ? Math.sqrt(squares / count) : 1;
}

/** Steps of the greatest distance that each cell is away from what lies about the first one. */
function stepsAway(
  bands: readonly Float32Array[],
  size: Size,
  first: number,
  spreads: readonly number[],
): Uint8Array {
  const squares = new Float64Array(size.width * size.height);
  for (const [k, band] of bands.entries()) {
    const mean = meanAbout(band, size, first);
    const factor = 1 / (bands.length * spreads[k]! ** 2);
    for (let cell = 0; cell < squares.length; cell++) {
      squares[cell]! += (band[cell]! - mean) ** 2 * factor;
    }
  }
  const steps = new Uint8Array(squares.length);
  for (let cell = 0; cell < steps.length; cell++) {
    const step = Math.ceil((Math.sqrt(squares[cell]!) / MOST_DISTANCE) * (BEYOND - 1));
    steps[cell] = step < BEYOND ? step : BEYOND;
  }
  return steps;
}

/**
 * The least distance at which ground that grows from a cell, side by side, comes to each other one. The
 * distance of a cell is the root of the mean square, over the bands, of what it differs by from the
 * first one (the mean of 3 × 3 cells about it), in standard deviations of the band over all cells: ground
 * up to a distance is all that is joined to the first cell by cells no farther than that (region
 * growing; Adams & Bischof 1994).
 * @param first number of the cell, row by row @returns as `Grown.levels`; all 255 where the first cell
 * has no number in some band
 */
export function growLevels(
  bands: readonly Float32Array[],
  size: Size,
  first: number,
  spreads: readonly number[] = bands.map(spreadOf),
): Grown["levels"] {
  const { width } = size;
  const steps = stepsAway(bands, size, first, spreads);
  const levels = new Uint8Array(steps.length).fill(BEYOND);
  if (bands.some((band) => Number.isNaN(band[first]!))) {
    return levels;
  }
  // Cells that wait to be gone on from, by their level: those of the lowest come first.
  const waiting = Array.from({ length: BEYOND }, (): number[] => []);
  levels[first] = 0;
  waiting[0]!.push(first);
  const reach = (cell: number, level: number) => {
    const own = Math.max(level, steps[cell] ?? BEYOND);
    if (own < (levels[cell] ?? 0)) {
      levels[cell] = own;
      waiting[own]!.push(cell);
    }
  };
  waiting.forEach((cells, level) => {
    for (let cell = cells.pop(); cell !== undefined; cell = cells.pop()) {
      const col = cell % width;
      if (levels[cell] === level) {
        reach(col > 0 ? cell - 1 : -1, level);
        reach(col < width - 1 ? cell + 1 : -1, level);
        reach(cell - width, level);
        reach(cell + width, level);
      }
    }
  });
  return levels;
}

/** The cell of a grid at a place in its coordinates, as a window; null outside the grid. */
function cellAt(grid: Grid, at: readonly [number, number]): Window | null {
  const [across, down] = toCell(grid, ...at);
  const cell = { col: Math.floor(across), row: Math.floor(down), width: 1, height: 1 };
  return intersect(cell, fullWindow(grid));
}

/**
 * Ground around a place of an image by how unlike it is, as far as `GROWN_REACH` cells.
 * @param image real-valued @param at in the coordinates of its grid
 * @throws InputError where the place lies outside, or some band has no number there
 */
export async function grownFrom(
  evaluator: Pick<Evaluator, "info" | "read">,
  image: NodeSpec,
  at: readonly [number, number],
): Promise<Grown> {
  const { grid } = await evaluator.info(image);
  const cell = cellAt(grid, at);
  const window = cell && intersect(grow(cell, GROWN_REACH), fullWindow(grid));
  if (!window) {
    throw new InputError("This place lies outside the date", "at", "Click inside the picture.");
  }
  const bands = (await evaluator.read(image, 0, window)).bands.map(realCells);
  const first = (cell.row - window.row) * window.width + cell.col - window.col;
  const spreads = bands.map(spreadOf);
  const levels = growLevels(bands, window, first, spreads);
  if (levels[first] === BEYOND) {
    throw new InputError(
      "Some input has no value here",
      "at",
      "Click where the date has values in every input.",
    );
  }
  return { grid: cutGrid(grid, window), levels, spreads };
}

/** Cells as an area in longitude and latitude. @param cells 1 where a cell belongs to it */
const areaOf = (cells: Uint8Array, grid: Grid): MultiPolygon =>
  onGlobe(outlineOf(cells, grid), grid);

/** Cells as an outline along their sides, in columns and rows. */
const outlineOf = (cells: Uint8Array, { width, height }: Size): MultiPolygon =>
  polygonise(runsOf(cells, width, height), 4).flatMap((shape) => shape.polygons);

function onGlobe(outline: MultiPolygon, grid: Grid): MultiPolygon {
  const polygons = outline.map((rings) =>
    rings.map((ring) => ring.map(([col, row]) => toMap(grid, col, row))),
  );
  return transformPolygons(polygons, ontoGlobe(grid), 100 * Math.max(...cellSize(grid)));
}

/** The ground that grows up to a distance, at most `MOST_DISTANCE`; the first cell always. */
export function grownArea(grown: Pick<Grown, "grid" | "levels">, distance: number): GrownArea {
  const area = grownCells(grown, distance);
  return { ...area, polygons: onGlobe(area.polygons, grown.grid) };
}

/** The same, in columns and rows of the cells that were looked at. */
export function grownCells(
  { grid, levels }: Pick<Grown, "grid" | "levels">,
  distance: number,
): GrownArea {
  const most = Math.min(BEYOND - 1, Math.floor((distance / MOST_DISTANCE) * (BEYOND - 1) + 1e-9));
  const { width } = grid;
  let count = 0;
  let isCut = false;
  const cells = levels.map((level, cell) => {
    if (level > most) {
      return 0;
    }
    const col = cell % width;
    count++;
    isCut ||= col === 0 || col === width - 1 || cell < width || cell >= levels.length - width;
    return 1;
  });
  return { cells: count, isCut, polygons: outlineOf(cells, grid) };
}

/** Whether the centre of some cell of a grid lies in an area. @param polygons in longitude and latitude */
export const hasCells = (polygons: MultiPolygon, grid: Grid): boolean =>
  cellsIn(areaOnGrid(polygons, grid), grid) > 0;

/**
 * The cell of a grid at a place as an area; null outside the grid.
 * @param at in the coordinates of the grid
 */
export function cellArea(grid: Grid, at: readonly [number, number]): MultiPolygon | null {
  const cell = cellAt(grid, at);
  return cell && areaOf(Uint8Array.of(1), cutGrid(grid, cell));
}
