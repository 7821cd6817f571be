import { InputError } from "../errors";
import type { Evaluator } from "../graph/evaluator";
import { type NodeSpec, nodeHash } from "../graph/node";
import { versionOf } from "../graph/registry";
import { BLOCK, type Grid, type Window, intersect } from "../grid/grid";
import { windowAround } from "../grid/union";
import { realCells } from "../raster/block";
import type { MultiPolygon } from "../vector/polygons";
import { cellsIn } from "../vector/cellsIn";
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

/** Blocks of a grid that a window touches, cut to it. */
function* blocksOf(window: Window): Generator<Window> {
  const { col, row, width, height } = window;
  for (let r = Math.floor(row / BLOCK) * BLOCK; r < row + height; r += BLOCK) {
    for (let c = Math.floor(col / BLOCK) * BLOCK; c < col + width; c += BLOCK) {
      yield intersect({ col: c, row: r, width: BLOCK, height: BLOCK }, window)!;
    }
  }
}

/** The cells of an area on one image. */
export interface AreaValues {
  /** Numbers of the cells in the grid, row by row. */
  cells: Float64Array;
  /** Cell after cell, band after band; NaN where a band has no number. */
  values: Float32Array;
}

/** Where the cells of areas are kept that were read before. */
export interface AreaStore {
  get(key: string): AreaValues | undefined;
  set(key: string, values: AreaValues): unknown;
}

/** Cells that areas hold together at the most: they are held in memory. */
export const MOST_TRAINING_CELLS = 4_000_000;

/** @throws InputError where areas hold too many cells */
function requireFew(areas: readonly PlacedArea[], grid: Grid): void {
  const count = areas.reduce((sum, { polygons }) => sum + cellsIn(polygons, grid), 0);
  if (count > MOST_TRAINING_CELLS) {
    throw new InputError(
      `The training areas hold ${count} cells; up to ${MOST_TRAINING_CELLS} can be trained on`,
      "areas",
      "Draw smaller areas, and more of them: cells beside each other are alike.",
    );
  }
}

const NOWHERE: AreaValues = { cells: new Float64Array(0), values: new Float32Array(0) };

/** Reads the cells whose centres lie in an area. */
async function readArea(
  evaluator: Pick<Evaluator, "read">,
  image: NodeSpec,
  polygons: MultiPolygon,
  grid: Grid,
): Promise<AreaValues> {
  const around = windowAround(grid, polygons.flat(2), 0);
  const cells: number[] = [];
  const values: number[] = [];
  for (const window of around ? blocksOf(around) : []) {
    const spans: [row: number, from: number, to: number][] = [];
    rasteriseSpans(polygons, grid, window, (row, from, to) => spans.push([row, from, to]));
    if (spans.length === 0) {
      continue;
    }
    const block = (await evaluator.read(image, 0, window)).bands.map(realCells);
    for (const [row, from, to] of spans) {
      for (let col = from; col < to; col++) {
        cells.push(row * grid.width + col);
        const at = (row - window.row) * window.width + col - window.col;
        for (const band of block) {
          values.push(band[at]!);
        }
      }
    }
  }
  return cells.length > 0
    ? { cells: Float64Array.from(cells), values: Float32Array.from(values) }
    : NOWHERE;
}

/** Stands for a cell that areas of two classes cover. */
const CONTESTED = -1;

/** Which area each covered cell belongs to, by its number in the grid; the first of one class. */
function claimsOf(areas: readonly PlacedArea[], found: readonly AreaValues[]): Map<number, number> {
  const claims = new Map<number, number>();
  areas.forEach(({ label }, place) => {
    for (const cell of found[place]!.cells) {
      const other = claims.get(cell);
      if (other === undefined) {
        claims.set(cell, place);
      } else if (other !== CONTESTED && areas[other]!.label !== label) {
        claims.set(cell, CONTESTED);
      }
    }
  });
  return claims;
}

/** Cells of areas one behind the other, those that count. */
function counted(
  areas: readonly PlacedArea[],
  found: readonly AreaValues[],
  bands: number,
): TrainingCells {
  const claims = claimsOf(areas, found);
  const most = found.reduce((sum, { cells }) => sum + cells.length, 0);
  const values = new Float64Array(most * bands);
  const owners = new Uint16Array(most);
  let count = 0;
  const counts = areas.map(({ id, label }, place): AreaCells => {
    const own = { id, label, cells: 0, missing: 0, contested: 0, shared: 0 };
    const { cells, values: all } = found[place]!;
    cells.forEach((cell, i) => {
      const owner = claims.get(cell);
      const one = all.subarray(i * bands, (i + 1) * bands);
      if (owner === CONTESTED) {
        own.contested++;
      } else if (owner !== place) {
        own.shared++;
      } else if (one.some(Number.isNaN)) {
        own.missing++;
      } else {
        own.cells++;
        values.set(one, count * bands);
        owners[count++] = place;
      }
    });
    return own;
  });
  return {
    values: values.slice(0, count * bands),
    area: owners.slice(0, count),
    areas: counts,
  };
}

/**
 * The cells of an image whose centres lie in training areas, with their values in every band. Cells
 * that two areas of one class cover count once; those of two classes, and those without a number in
 * some band, do not count.
 * @param image real-valued, at level 0
 * @param store of what was read before: where one area of many is drawn anew, it alone is read
 * @throws InputError where areas hold over four million cells
 */
export async function gatherCells(
  evaluator: Pick<Evaluator, "info" | "read">,
  image: NodeSpec,
  areas: readonly PlacedArea[],
  store?: AreaStore,
): Promise<TrainingCells> {
  const { grid, bands } = await evaluator.info(image);
  requireFew(areas, grid);
  const hash = store ? nodeHash(image, versionOf) : "";
  const found: AreaValues[] = [];
  for (const { polygons } of areas) {
    const key = `${hash} ${JSON.stringify(polygons)}`;
    const known = store?.get(key);
    const own = known ?? (await readArea(evaluator, image, polygons, grid));
    if (!known) {
      store?.set(key, own);
    }
    found.push(own);
  }
  return counted(areas, found, bands.length);
}
