import { type Forest, USUAL_FOREST, growForest } from "@hindglance/core/classify/forest";
import { gaussianOf, normalPriors, variancesWithin } from "@hindglance/core/classify/gaussian";
import { labelByForest } from "@hindglance/core/classify/labelForest";
import { labelLikeliest } from "@hindglance/core/classify/labelGaussian";
import { randomFrom } from "@hindglance/core/classify/random";
import { lookAtAll } from "@hindglance/core/classify/scores";
import { signatureOf } from "@hindglance/core/classify/signature";
import { cooccurrence, greyLevels, localFigure } from "@hindglance/core/classify/texture";
import { weightedMode } from "@hindglance/core/classify/weightedMode";
import { BLOCK } from "@hindglance/core/grid/grid";
import { normalFrom } from "@hindglance/core/testing/normal";
import { power } from "./fields";
import type { Row } from "./rows";

const CLASSES = 8;
const BANDS = 7;
const TILE_CELLS = BLOCK * BLOCK;
/** Tiles that a row of cell-by-cell work goes over. */
const TILES = 4;
const TRAINED = 100_000;
const TRAINED_FEW = 20_000;

/**
 * Cells of eight classes in seven bands, and their classes.
 * @param apart how far the classes lie from each other; at 0.4, a forest takes one cell in fifty for another
 */
function cellsOf(count: number, apart = 0.4) {
  const random = randomFrom(3);
  const normal = normalFrom(4);
  const means = Float64Array.from({ length: CLASSES * BANDS }, () => 0.05 + apart * random());
  const labels = Uint8Array.from({ length: count }, (_v, i) => i % CLASSES);
  const values = new Float64Array(count * BANDS);
  labels.forEach((label, i) => {
    const common = 0.05 * normal();
    for (let b = 0; b < BANDS; b++) {
      values[i * BANDS + b] = Math.fround(means[label * BANDS + b]! + common + 0.05 * normal());
    }
  });
  return { labels, points: { values, d: BANDS } };
}

/** Bands of a tile of the cells, from the first on. */
const bandsOf = ({ values }: { values: Float64Array }, tile = 0) =>
  Array.from({ length: BANDS }, (_v, b) =>
    Float32Array.from(
      { length: TILE_CELLS },
      (_cell, i) => values[(tile * TILE_CELLS + i) * BANDS + b]!,
    ),
  );

const repeated = (work: () => void) => () => {
  for (let k = 0; k < TILES; k++) {
    work();
  }
};

/** A forest, and tiles of other cells than those which it grew from. */
function forestAndTiles(apart?: number): { forest: Forest; tiles: Float32Array[][] } {
  const { labels, points } = cellsOf(TILES * TILE_CELLS + TRAINED_FEW, apart);
  const from = TILES * TILE_CELLS;
  const some = { values: points.values.slice(from * BANDS), d: BANDS };
  const forest = growForest(some, labels.slice(from), CLASSES, USUAL_FOREST);
  return { forest, tiles: Array.from({ length: TILES }, (_v, tile) => bandsOf(points, tile)) };
}

function labelling(apart?: number): () => void {
  const { forest, tiles } = forestAndTiles(apart);
  const out = new Uint8Array(TILE_CELLS);
  return () => tiles.forEach((bands) => labelByForest(bands, forest, out));
}

/** Rows of classes of land cover. */
export const CLASSIFY_ROWS: Row[] = [
  {
    name: "maximum likelihood, 7 bands, 8 classes",
    cells: TILES * TILE_CELLS,
    target: 15,
    setUp: () => {
      const { labels, points } = cellsOf(TILE_CELLS);
      const signatures = Array.from({ length: CLASSES }, (_v, k) =>
        signatureOf({
          values: Float64Array.from(
            [...labels.keys()]
              .filter((cell) => labels[cell] === k)
              .flatMap((cell) => [...points.values.subarray(cell * BANDS, (cell + 1) * BANDS)]),
          ),
          d: BANDS,
        }),
      );
      const within = variancesWithin(signatures);
      const classes = signatures.map((one) => gaussianOf(one, within));
      const priors = normalPriors(new Array<number>(CLASSES).fill(1));
      const bands = bandsOf(points);
      const out = new Uint8Array(TILE_CELLS);
      const model = { classes, priors, rejectAbove: null };
      return repeated(() => labelLikeliest(bands, model, out));
    },
  },
  {
    name: "random forest, 100 trees of depth 12, 7 bands, 8 classes",
    cells: TILES * TILE_CELLS,
    target: 1.5,
    setUp: () => labelling(),
  },
  {
    name: "the same forest, classes well apart",
    cells: TILES * TILE_CELLS,
    target: null,
    setUp: () => labelling(1.2),
  },
  {
    name: "the same forest, how sure it is",
    cells: TILES * TILE_CELLS,
    target: null,
    setUp: () => {
      const { forest, tiles } = forestAndTiles();
      const classes = Array.from({ length: CLASSES }, (_v, k) => ({
        ...{ label: k + 1, name: `${k}`, color: "#000000" },
      }));
      const inputs = Array.from({ length: BANDS }, (_v, b) => `B${b}`);
      const model = { kind: "forest" as const, classes, inputs, forest };
      const out = new Float32Array(TILE_CELLS);
      return () =>
        tiles.forEach((bands) =>
          lookAtAll(bands, { model, method: "forest", priors: [] }, (cell, { confidence }) => {
            out[cell] = confidence;
          }),
        );
    },
  },
  {
    name: "growing that forest, of 100 000 cells",
    cells: TRAINED,
    target: 0.1,
    setUp: () => {
      const { labels, points } = cellsOf(TRAINED);
      return () => void growForest(points, labels, CLASSES, USUAL_FOREST);
    },
  },
  {
    name: "window weighted by probability 3x3, 8 classes",
    cells: TILES * TILE_CELLS,
    target: null,
    setUp: () => {
      const side = BLOCK + 2;
      const bands = Array.from({ length: CLASSES }, (_v, k) => power(side, k + 1));
      const out = new Uint8Array(TILE_CELLS);
      const size = { width: BLOCK, height: BLOCK, windowCells: 3 };
      return repeated(() => weightedMode(bands, size, out));
    },
  },
  {
    name: "deviation of 5x5 cells",
    cells: TILES * TILE_CELLS,
    target: null,
    setUp: () => {
      const src = power(BLOCK + 4, 1);
      const out = new Float32Array(TILE_CELLS);
      const size = { width: BLOCK, height: BLOCK, windowCells: 5 };
      return repeated(() => localFigure(src, size, "deviation", out));
    },
  },
  {
    name: "contrast of grey levels side by side, 7x7 cells",
    cells: TILE_CELLS,
    target: null,
    setUp: () => {
      const levels = greyLevels(power(BLOCK + 6, 1), 0, 0.2);
      const out = new Float32Array(TILE_CELLS);
      const size = { width: BLOCK, height: BLOCK, windowCells: 7 };
      return () => cooccurrence(levels, size, "contrast", out);
    },
  },
];
