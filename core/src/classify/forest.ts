import { InputError } from "../errors";
import { Workspace } from "../wasm/kernels";
import { type Bins, binOf, binsOf } from "./bins";
import { Grower } from "./growTree";
import type { Points } from "./kmeans";
import { OutOfBag } from "./outOfBag";
import { valuesAt } from "./places";
import { randomFrom } from "./random";

/** How a forest is grown. */
export interface ForestOptions {
  trees: number;
  /** Splits from the root to a leaf at the most. */
  depth: number;
  seed: number;
  /** Cells that a leaf holds at least. */
  leastLeaf: number;
  /** Bands that are tried at a split; null: the root of their number. */
  tried: number | null;
  /** Cells that a tree is grown from at the most, drawn from all with putting back. */
  cellsPerTree: number;
}

/** What a forest is grown with where nobody says otherwise. */
export const USUAL_FOREST: ForestOptions = {
  ...{ trees: 100, depth: 12, seed: 1, leastLeaf: 1, tried: null, cellsPerTree: 10_000 },
};

/**
 * A tree, node after node, the root first. The children of a node follow each other: a cell whose
 * bin is not above the node's goes to the left one, else to the one after it. A leaf is its own left
 * child, and every cell goes there: a walk of `depth` steps ends at the leaf, wherever that is.
 */
export interface Tree {
  band: Uint8Array;
  bin: Uint8Array;
  left: Uint16Array;
  /** By node and class: the share of the class among the cells there. */
  shares: Float32Array;
  /** The longest way from the root to a leaf. */
  depth: number;
}

/** Many trees, each of other cells and other bands; a cell's probabilities are the mean of theirs. */
export interface Forest {
  classes: number;
  /** By band. */
  bins: Bins[];
  trees: Tree[];
  /** Cells that some tree was not grown from, and how many of them those trees take for another class. */
  outOfBag: { cells: number; wrong: number };
  /** By band: the share of all that splits gained which its splits did; sums to one. */
  importance: Float64Array;
}

/** The leaf in which a cell ends, whose bins by band begin at `at`. */
function leafOf({ left, band, bin, depth }: Tree, bins: ArrayLike<number>, at: number): number {
  let node = 0;
  for (let step = 0; step < depth; step++) {
    node = left[node]! + (bins[at + band[node]!]! > bin[node]! ? 1 : 0);
  }
  return node;
}

/**
 * Some cells of each class, evenly over them, the first among them.
 * @param every of how many cells of a class one is taken, by how many it has
 */
function spreadCells(labels: Uint8Array, every: (count: number) => number): Uint32Array {
  const counts = new Uint32Array(256);
  labels.forEach((label) => counts[label]!++);
  const steps = counts.map((count) => Math.max(1, every(count)));
  const met = new Uint32Array(256);
  return Uint32Array.from(labels.keys()).filter((cell) => {
    const label = labels[cell]!;
    return met[label]!++ % steps[label]! === 0;
  });
}

/** Values that bins are made of, at the most. */
const BINNED_CELLS = 50_000;

/**
 * Training cells by the numbers of their bins, and the bins of each band. Those are made of as many cells
 * of each class, so that few cells of one are told apart from many of another.
 */
function binned({ values, d }: Points, labels: Uint8Array, classes: number) {
  const n = labels.length;
  const byCell = new Uint8Array(n * d);
  const looked = spreadCells(labels, (count) =>
    Math.ceil(count / Math.ceil(BINNED_CELLS / classes)),
  );
  const bins = Array.from({ length: d }, (_v, band) => {
    const own = binsOf(Float64Array.from(looked, (cell) => values[cell * d + band]!));
    for (let i = 0; i < n; i++) {
      byCell[i * d + band] = binOf(own, values[i * d + band]!);
    }
    return own;
  });
  const edges = bins.map((one) => one.edges);
  return { bins, cells: { bins: byCell, bands: d, edges, labels, classes } };
}

/** Training cells that trees are drawn from, at the most. */
const MOST_CELLS = 200_000;

/** Of too many training cells some, evenly over those of each class, the first of each among them. */
function someOf(points: Points, labels: Uint8Array): { points: Points; labels: Uint8Array } {
  const every = Math.ceil(labels.length / MOST_CELLS);
  if (every <= 1) {
    return { points, labels };
  }
  const { values, d: bands } = points;
  const kept = spreadCells(labels, () => every);
  return {
    points: { values: valuesAt({ values }, kept, bands), d: bands },
    labels: Uint8Array.from(kept, (cell) => labels[cell]!),
  };
}

/** Cells by chance, some of them more than once; which they are. */
function draw(count: number, all: number, random: () => number) {
  const isDrawn = new Uint8Array(all);
  const drawn = new Int32Array(count);
  for (let i = 0; i < count; i++) {
    const cell = Math.floor(random() * all);
    drawn[i] = cell;
    isDrawn[cell] = 1;
  }
  return { drawn, isDrawn };
}

/**
 * Grows a random forest: each tree of cells drawn with putting back, each split the best of some
 * bands by Gini's impurity, trees not pruned. Splits are looked for among 256 bins a band. The same
 * seed gives the same forest. Of more than 200 000 cells no more than that are taken, evenly over the cells of each class.
 * Source: Breiman 2001; out-of-bag error and importance (mean decrease of impurity) as there.
 * @param points training cells, every value a number
 * @param labels class of each cell, from nought
 * @param classes number of classes, at most 255
 * @throws InputError for fewer than two classes with cells
 */
export function growForest(
  points: Points,
  labels: Uint8Array,
  classes: number,
  options: ForestOptions = USUAL_FOREST,
): Forest {
  if (new Set(labels).size < 2) {
    throw new InputError(
      "A forest needs training cells of two classes at least",
      "training",
      "Draw areas of another class.",
    );
  }
  const some = someOf(points, labels);
  const all = some.labels.length;
  const { bins, cells } = binned(some.points, some.labels, classes);
  const importance = new Float64Array(points.d);
  const count = Math.min(all, options.cellsPerTree);
  const workspace = Workspace.begin();
  const grower = new Grower(workspace, cells, count, options);
  const outOfBag = new OutOfBag(workspace, cells);
  const trees = Array.from({ length: options.trees }, (_v, k) => {
    const random = randomFrom(options.seed + k * SEED_STEP);
    const { drawn, isDrawn } = draw(count, all, random);
    const { tree, gains } = grower.grow(drawn, random);
    gains.forEach((gain, band) => {
      importance[band]! += gain / count;
    });
    outOfBag.add(tree, isDrawn);
    return tree;
  });
  const gained = importance.reduce((sum, gain) => sum + gain, 0);
  return {
    ...{ classes, bins, trees },
    outOfBag: outOfBag.score(),
    importance: importance.map((gain) => (gained > 0 ? gain / gained : 0)),
  };
}

/** Between the seeds of trees: far from those that people type. */
const SEED_STEP = 7919;

/**
 * Probabilities of the classes for one cell: the mean of the shares in the leaves where it ends.
 * @param out by class; NaN where a value is none
 */
export function forestShares(
  { bins, trees, classes }: Forest,
  values: ArrayLike<number>,
  out: Float64Array,
  at = 0,
): void {
  const own = bins.map((band, k) => binOf(band, values[at + k]!));
  const isNone = bins.some((_band, k) => Number.isNaN(values[at + k]!));
  out.fill(isNone ? NaN : 0, 0, classes);
  if (isNone) {
    return;
  }
  for (const tree of trees) {
    const leaf = leafOf(tree, own, 0);
    for (let k = 0; k < classes; k++) {
      out[k]! += tree.shares[leaf * classes + k]! / trees.length;
    }
  }
}
