import type { Evaluator } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { BLOCK, type Grid, type Window, intersect, toCell } from "../grid/grid";
import { realCells } from "../raster/block";
import type { MultiPolygon } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";

/** A training area on the grid of an image. */
export interface PlacedArea {
  id: string;
  label: number;
  /** In the coordinates of the grid. */
  polygons: MultiPolygon;
}

/** What became of the cells of an area. */
export interface AreaCells {
  id: string;
  label: number;
  /** Cells that count. */
  cells: number;
  /** Cells whose centres lie inside it, but that have no number in some input. */
  missing: number;
  /** Cells that an area of another class covers as well: they count for neither. */
  contested: number;
  /** Cells that another area of its class covers as well: they are counted there. */
  shared: number;
}

/** Training cells of an image. */
export interface TrainingCells {
  /** Cell after cell, input after input. */
  values: Float64Array;
  /** By cell: the place of its area among all. */
  area: Uint16Array;
  areas: AreaCells[];
}

/** The window around polygons that lies inside a grid; null where none of it does. */
function windowAbout(polygons: MultiPolygon, grid: Grid): Window | null {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of polygons.flat(2)) {
    const [col, row] = toCell(grid, x, y);
    left = Math.min(left, col);
    right = Math.max(right, col);
    top = Math.min(top, row);
    bottom = Math.max(bottom, row);
  }
  const [col, row] = [Math.floor(left), Math.floor(top)];
  const around = { col, row, width: Math.ceil(right) - col, height: Math.ceil(bottom) - row };
  return intersect(around, { col: 0, row: 0, width: grid.width, height: grid.height });
}

/** Stands for a cell that areas of two classes cover. */
const CONTESTED = -1;

/** Which area each covered cell belongs to, by its number in the grid; the first of one class. */
function claimsOf(areas: readonly PlacedArea[], windows: readonly (Window | null)[], grid: Grid) {
  const claims = new Map<number, number>();
  areas.forEach(({ label, polygons }, place) => {
    const window = windows[place];
    if (!window) {
      return;
    }
    rasteriseSpans(polygons, grid, window, (row, from, to) => {
      for (let cell = row * grid.width + from; cell < row * grid.width + to; cell++) {
        const other = claims.get(cell);
        if (other === undefined) {
          claims.set(cell, place);
        } else if (other !== CONTESTED && areas[other]!.label !== label) {
          claims.set(cell, CONTESTED);
        }
      }
    });
  });
  return claims;
}

/** Blocks of a grid that a window touches, cut to it. */
function* blocksOf(window: Window): Generator<Window> {
  const { col, row, width, height } = window;
  for (let r = Math.floor(row / BLOCK) * BLOCK; r < row + height; r += BLOCK) {
    for (let c = Math.floor(col / BLOCK) * BLOCK; c < col + width; c += BLOCK) {
      yield intersect({ col: c, row: r, width: BLOCK, height: BLOCK }, window)!;
    }
  }
}

/**
 * The cells of an image whose centres lie in training areas, with their values in every band. Cells
 * that two areas of one class cover count once; those of two classes, and those without a number in
 * some band, do not count.
 * @param image real-valued, at level 0
 */
export async function gatherCells(
  evaluator: Pick<Evaluator, "info" | "read">,
  image: NodeSpec,
  areas: readonly PlacedArea[],
): Promise<TrainingCells> {
  const { grid, bands } = await evaluator.info(image);
  const windows = areas.map(({ polygons }) => windowAbout(polygons, grid));
  const claims = claimsOf(areas, windows, grid);
  const counts = areas.map(({ id, label }): AreaCells => ({
    id,
    label,
    cells: 0,
    missing: 0,
    contested: 0,
    shared: 0,
  }));
  const values: number[] = [];
  const owners: number[] = [];
  for (const [place, { polygons }] of areas.entries()) {
    const count = counts[place]!;
    for (const window of windows[place] ? blocksOf(windows[place]) : []) {
      const block = (await evaluator.read(image, 0, window)).bands.map(realCells);
      rasteriseSpans(polygons, grid, window, (row, from, to) => {
        for (let col = from; col < to; col++) {
          const owner = claims.get(row * grid.width + col);
          const at = (row - window.row) * window.width + col - window.col;
          if (owner === CONTESTED) {
            count.contested++;
          } else if (owner !== place) {
            count.shared++;
          } else if (block.some((band) => Number.isNaN(band[at]!))) {
            count.missing++;
          } else {
            count.cells++;
            owners.push(place);
            for (let b = 0; b < bands.length; b++) {
              values.push(block[b]![at]!);
            }
          }
        }
      });
    }
  }
  return { values: Float64Array.from(values), area: Uint16Array.from(owners), areas: counts };
}
