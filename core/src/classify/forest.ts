import { InputError } from "../errors";
import { type Bins, MOST_BINS, binOf, binsOf } from "./bins";
import type { Points } from "./kmeans";
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

/** Nodes of a tree at the most: their numbers are two bytes. */
const MOST_NODES = 65_536;

/** Training cells as a tree reads them. */
interface Cells {
  /** Bins by cell, band after band: what is asked of a cell lies close together. */
  bins: Uint8Array;
  bands: number;
  /** By band: the edges between its bins. */
  edges: readonly Float64Array[];
  labels: Uint8Array;
  classes: number;
}

/** A node that is to be split: its cells stand in the order from `from` to before `to`. */
interface Open {
  node: number;
  from: number;
  to: number;
  depth: number;
}

interface Split {
  band: number;
  bin: number;
  gain: number;
}

/**
 * The bin whose edge lies nearest to the middle between the cells below a split and those above it:
 * training cells alone do not say where in the gap between them the classes part.
 * @param below the last bin with a cell under the split @param above the first one over it
 */
function halfway(edges: Float64Array, below: number, above: number): number {
  const middle = (edges[below]! + edges[above - 1]!) / 2;
  let bin = below;
  while (bin + 1 < above && edges[bin + 1]! <= middle) {
    bin++;
  }
  const isNext = bin + 1 < above && edges[bin + 1]! - middle < middle - edges[bin]!;
  return isNext ? bin + 1 : bin;
}

/** Grows one tree. */
class Grower {
  readonly band: number[] = [];
  readonly bin: number[] = [];
  readonly left: number[] = [];
  readonly shares: number[] = [];
  readonly gains: Float64Array;
  depth = 0;
  private readonly counts: Int32Array;
  private readonly below: Int32Array;
  private readonly table: Int32Array;
  private readonly bands: number[];

  constructor(
    private readonly cells: Cells,
    private readonly order: Int32Array,
    private readonly options: ForestOptions,
    private readonly random: () => number,
  ) {
    const { classes, bands } = cells;
    this.gains = new Float64Array(bands);
    this.counts = new Int32Array(classes);
    this.below = new Int32Array(classes);
    this.table = new Int32Array(MOST_BINS * classes);
    this.bands = Array.from({ length: bands }, (_v, band) => band);
  }

  grow(): Tree {
    const open: Open[] = [{ node: this.addLeaf(), from: 0, to: this.order.length, depth: 0 }];
    for (let next = open.pop(); next; next = open.pop()) {
      this.depth = Math.max(this.depth, next.depth);
      open.push(...this.divide(next));
    }
    return {
      band: Uint8Array.from(this.band),
      bin: Uint8Array.from(this.bin),
      left: Uint16Array.from(this.left),
      shares: Float32Array.from(this.shares),
      depth: this.depth,
    };
  }

  private addLeaf(): number {
    const node = this.left.length;
    this.band.push(0);
    this.bin.push(MOST_BINS - 1);
    this.left.push(node);
    for (let k = 0; k < this.cells.classes; k++) {
      this.shares.push(0);
    }
    return node;
  }

  /** Splits a node where that gains something; the nodes that come of it. */
  private divide({ node, from, to, depth }: Open): Open[] {
    const { classes, labels } = this.cells;
    this.counts.fill(0);
    for (let i = from; i < to; i++) {
      this.counts[labels[this.order[i]!]!]!++;
    }
    for (let k = 0; k < classes; k++) {
      this.shares[node * classes + k] = this.counts[k]! / (to - from);
    }
    const { leastLeaf, depth: most } = this.options;
    const isPure = this.counts.some((count) => count === to - from);
    if (depth >= most || isPure || to - from < 2 * leastLeaf || this.left.length + 2 > MOST_NODES) {
      return [];
    }
    const split = this.bestSplit(from, to);
    if (!split) {
      return [];
    }
    this.gains[split.band]! += split.gain;
    this.band[node] = split.band;
    this.bin[node] = split.bin;
    const left = this.addLeaf();
    const right = this.addLeaf();
    this.left[node] = left;
    const middle = this.partition(from, to, split);
    return [
      { node: left, from, to: middle, depth: depth + 1 },
      { node: right, from: middle, to, depth: depth + 1 },
    ];
  }

  /** The best split of some bands by chance; of further ones where none of those has any. */
  private bestSplit(from: number, to: number): Split | null {
    const { bands, random } = this;
    const tried = this.options.tried ?? Math.max(1, Math.round(Math.sqrt(bands.length)));
    let best: Split | null = null;
    for (let k = 0; k < bands.length && (k < tried || !best); k++) {
      const other = k + Math.floor(random() * (bands.length - k));
      [bands[k], bands[other]] = [bands[other]!, bands[k]!];
      const split = this.splitOf(bands[k]!, from, to);
      if (split && split.gain > (best?.gain ?? 0)) {
        best = split;
      }
    }
    return best;
  }

  /** Counts cells by bin and class; the bins that are met. */
  private tally(band: number, from: number, to: number): { first: number; last: number } {
    const { classes, labels, bins, bands } = this.cells;
    const { order, table } = this;
    let first = MOST_BINS;
    let last = 0;
    for (let i = from; i < to; i++) {
      const cell = order[i]!;
      const bin = bins[cell * bands + band]!;
      table[bin * classes + labels[cell]!]!++;
      first = bin < first ? bin : first;
      last = bin > last ? bin : last;
    }
    return { first, last };
  }

  /** Where a band parts the classes best by Gini's impurity; null where it parts nothing. */
  private splitOf(band: number, from: number, to: number): Split | null {
    const { classes } = this.cells;
    const { counts, below, table } = this;
    const { leastLeaf } = this.options;
    const { first, last } = this.tally(band, from, to);
    const all = to - from;
    below.fill(0);
    let squaresBelow = 0;
    let squaresAbove = counts.reduce((sum, count) => sum + count * count, 0);
    const squares = squaresAbove;
    let under = 0;
    let bin = -1;
    // The first bin above the best split that holds a cell.
    let above = last;
    let best = 0;
    for (let at = first; at < last; at++) {
      const before = under;
      for (let k = 0, place = at * classes; k < classes; k++, place++) {
        const here = table[place]!;
        if (here > 0) {
          // (b + h)² − b² and (c − b − h)² − (c − b)².
          squaresBelow += here * (2 * below[k]! + here);
          squaresAbove += here * (here - 2 * (counts[k]! - below[k]!));
          below[k]! += here;
          under += here;
        }
      }
      if (under > before && above === last && bin >= 0) {
        above = at;
      }
      if (under > before && under >= leastLeaf && all - under >= leastLeaf) {
        const purity = squaresBelow / under + squaresAbove / (all - under);
        if (purity > best) {
          best = purity;
          bin = at;
          above = last;
        }
      }
    }
    table.fill(0, first * classes, (last + 1) * classes);
    const gain = best - squares / all;
    return bin >= 0 && gain > 1e-9 * all
      ? { band, bin: halfway(this.cells.edges[band]!, bin, above), gain }
      : null;
  }

  /** Brings cells that go left before those that go right; where these begin. */
  private partition(from: number, to: number, { band, bin }: Split): number {
    const { order } = this;
    const { bins, bands } = this.cells;
    let left = from;
    let right = to - 1;
    while (left <= right) {
      const cell = order[left]!;
      if (bins[cell * bands + band]! <= bin) {
        left++;
      } else {
        order[left] = order[right]!;
        order[right] = cell;
        right--;
      }
    }
    return left;
  }
}

/** The leaf in which a cell ends, whose bins by band begin at `at`. */
function leafOf({ left, band, bin, depth }: Tree, bins: ArrayLike<number>, at: number): number {
  let node = 0;
  for (let step = 0; step < depth; step++) {
    node = left[node]! + (bins[at + band[node]!]! > bin[node]! ? 1 : 0);
  }
  return node;
}

/** Cells that the out-of-bag error is counted of, at the most. */
const OUT_OF_BAG_CELLS = 20_000;

/** Adds what a tree says of the cells that it was not grown from; of many cells, of some. */
function addOutOfBag(tree: Tree, cells: Cells, isDrawn: Uint8Array, votes: Float32Array): void {
  const { bins, bands, classes } = cells;
  const every = Math.max(1, Math.ceil(isDrawn.length / OUT_OF_BAG_CELLS));
  for (let cell = 0; cell < isDrawn.length; cell += every) {
    if (!isDrawn[cell]) {
      const leaf = leafOf(tree, bins, cell * bands);
      for (let k = 0; k < classes; k++) {
        votes[cell * classes + k]! += tree.shares[leaf * classes + k]!;
      }
    }
  }
}

/** Of what trees say together of cells that they were not grown from, how much is wrong. */
function scoreOutOfBag({ labels, classes }: Cells, votes: Float32Array): Forest["outOfBag"] {
  let counted = 0;
  let wrong = 0;
  labels.forEach((label, cell) => {
    const own = votes.subarray(cell * classes, (cell + 1) * classes);
    const top = own.reduce((best, vote, k) => (vote > own[best]! ? k : best), 0);
    if (own[top]! > 0) {
      counted++;
      wrong += top === label ? 0 : 1;
    }
  });
  return { cells: counted, wrong };
}

/**
 * Grows a random forest: each tree of cells drawn with putting back, each split the best of some
 * bands by Gini's impurity, trees not pruned. Splits are looked for among 256 bins a band. The same
 * seed gives the same forest.
 * Source: Breiman 2001; out-of-bag error and importance (mean decrease of impurity) as there.
 * @param points training cells, every value a number
 * @param labels class of each cell, from nought
 * @param classes number of classes, at most 255
 * @throws InputError for fewer than two classes with cells
 */
export function growForest(
  { values, d }: Points,
  labels: Uint8Array,
  classes: number,
  options: ForestOptions = USUAL_FOREST,
): Forest {
  const n = labels.length;
  if (new Set(labels).size < 2) {
    throw new InputError(
      "A forest needs training cells of two classes at least",
      "training",
      "Draw areas of another class.",
    );
  }
  const bands = Array.from({ length: d }, (_v, band) =>
    Float64Array.from({ length: n }, (_cell, i) => values[i * d + band]!),
  );
  const bins = bands.map(binsOf);
  const byCell = Uint8Array.from(values, (value, at) => binOf(bins[at % d]!, value));
  const edges = bins.map((one) => one.edges);
  const cells: Cells = { bins: byCell, bands: d, edges, labels, classes };
  const votes = new Float32Array(n * classes);
  const importance = new Float64Array(d);
  const drawn = Math.min(n, options.cellsPerTree);
  const trees = Array.from({ length: options.trees }, (_v, k) => {
    const random = randomFrom(options.seed + k * SEED_STEP);
    const isDrawn = new Uint8Array(n);
    const order = Int32Array.from({ length: drawn }, () => {
      const cell = Math.floor(random() * n);
      isDrawn[cell] = 1;
      return cell;
    });
    const grower = new Grower(cells, order, options, random);
    const tree = grower.grow();
    grower.gains.forEach((gain, band) => {
      importance[band]! += gain / drawn;
    });
    addOutOfBag(tree, cells, isDrawn, votes);
    return tree;
  });
  const gained = importance.reduce((sum, gain) => sum + gain, 0);
  return {
    ...{ classes, bins, trees },
    outOfBag: scoreOutOfBag(cells, votes),
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
