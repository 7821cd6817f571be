import type { Workspace } from "../wasm/kernels";
import { MOST_BINS } from "./bins";
import { type Cells, CellRows } from "./cellRows";
import type { ForestOptions, Tree } from "./forest";

/** Nodes of a tree at the most: their numbers are two bytes. */
export const MOST_NODES = 65_536;

/** A node that is to be split: its cells are the rows from `from` to before `to`. */
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

/** A tree while it grows. */
class Growing {
  readonly band: number[] = [];
  readonly bin: number[] = [];
  readonly left: number[] = [];
  readonly gains: Float64Array;
  depth = 0;

  /** @param shares room for those of all nodes there may be */
  constructor(
    private readonly shares: Float32Array,
    private readonly classes: number,
    bands: number,
  ) {
    this.gains = new Float64Array(bands);
  }

  setShares(node: number, counts: Uint32Array, all: number): void {
    for (let k = 0; k < this.classes; k++) {
      this.shares[node * this.classes + k] = counts[k]! / all;
    }
  }

  addLeaf(): number {
    const node = this.left.length;
    this.band.push(0);
    this.bin.push(MOST_BINS - 1);
    this.left.push(node);
    return node;
  }

  tree(): Tree {
    return {
      band: Uint8Array.from(this.band),
      bin: Uint8Array.from(this.bin),
      left: Uint16Array.from(this.left),
      shares: this.shares.slice(0, this.left.length * this.classes),
      depth: this.depth,
    };
  }
}

/** Where what the kernels read and write lies in their memory. */
type Addresses = Record<"counts" | "scratch" | "found", number>;

/** Grows trees one after the other, each of as many cells. */
export class Grower {
  private readonly rows: CellRows;
  private readonly at: Addresses;
  private readonly shares: Float32Array;
  private counts: Uint32Array = new Uint32Array(0);
  private purity: Float64Array = new Float64Array(0);
  private above: Uint32Array = new Uint32Array(0);
  /** Bands in the order in which they were tried last. */
  private bands: number[] = [];
  private random: () => number = () => 0;
  private growing: Growing;

  /** @param workspace of which it takes what it needs: no other may begin before the last tree */
  constructor(
    private readonly workspace: Workspace,
    private readonly cells: Cells,
    private readonly drawn: number,
    private readonly options: ForestOptions,
  ) {
    const { bands, classes } = cells;
    this.rows = new CellRows(workspace, drawn, bands);
    const scratch = workspace.kernels.bestBinScratch(classes);
    this.at = {
      counts: workspace.take(classes * 4),
      scratch: workspace.take(scratch),
      found: workspace.take(16),
    };
    workspace.u8(this.at.scratch, scratch).fill(0);
    this.shares = new Float32Array(Math.min(MOST_NODES, 2 * drawn) * classes);
    this.growing = new Growing(this.shares, classes, bands);
  }

  /**
   * A tree of some cells, and by band what its splits gained together.
   * @param drawn numbers of the cells, as many as were said
   */
  grow(drawn: Int32Array, random: () => number): { tree: Tree; gains: Float64Array } {
    const { workspace, at } = this;
    const { classes, bands } = this.cells;
    this.counts = workspace.u32(at.counts, classes);
    this.purity = workspace.f64(at.found, 1);
    this.above = workspace.u32(at.found + 8, 1);
    this.random = random;
    this.bands = Array.from({ length: bands }, (_v, band) => band);
    this.growing = new Growing(this.shares, classes, bands);
    this.rows.fill(this.cells, drawn);
    const { growing } = this;
    const open: Open[] = [{ node: growing.addLeaf(), from: 0, to: this.drawn, depth: 0 }];
    for (let next = open.pop(); next; next = open.pop()) {
      growing.depth = Math.max(growing.depth, next.depth);
      open.push(...this.divide(next));
    }
    return { tree: growing.tree(), gains: growing.gains };
  }

  /** Splits a node where that gains something; the nodes that come of it. */
  private divide({ node, from, to, depth }: Open): Open[] {
    const { growing, at, counts } = this;
    const { at: rows, stride } = this.rows;
    const { kernels } = this.workspace;
    const { classes, bands } = this.cells;
    kernels.countClasses(rows, stride, bands, from, to, at.counts, classes);
    growing.setShares(node, counts, to - from);
    const { leastLeaf, depth: most } = this.options;
    const isPure = counts.includes(to - from);
    if (
      depth >= most ||
      isPure ||
      to - from < 2 * leastLeaf ||
      growing.left.length + 2 > MOST_NODES
    ) {
      return [];
    }
    const split = this.bestSplit(from, to);
    if (!split) {
      return [];
    }
    growing.gains[split.band]! += split.gain;
    growing.band[node] = split.band;
    growing.bin[node] = split.bin;
    const left = growing.addLeaf();
    const right = growing.addLeaf();
    growing.left[node] = left;
    const middle = kernels.partRows(rows, stride, from, to, split.band, split.bin);
    return [
      { node: left, from, to: middle, depth: depth + 1 },
      { node: right, from: middle, to, depth: depth + 1 },
    ];
  }

  /** The best split of some bands by chance; of further ones where none of those has any. */
  private bestSplit(from: number, to: number): Split | null {
    const { bands, random } = this;
    const squares = this.counts.reduce((sum, count) => sum + count * count, 0);
    const tried = this.options.tried ?? Math.max(1, Math.round(Math.sqrt(bands.length)));
    let best: Split | null = null;
    for (let k = 0; k < bands.length && (k < tried || !best); k++) {
      const other = k + Math.floor(random() * (bands.length - k));
      [bands[k], bands[other]] = [bands[other]!, bands[k]!];
      const split = this.splitOf(bands[k]!, from, to, squares);
      if (split && split.gain > (best?.gain ?? 0)) {
        best = split;
      }
    }
    return best;
  }

  /**
   * Where a band parts the classes best by Gini's impurity; null where it parts nothing.
   * @param squares sum of the squared counts of the node by class
   */
  private splitOf(band: number, from: number, to: number, squares: number): Split | null {
    const { at, purity, above } = this;
    const { at: rows, stride } = this.rows;
    const { classes, bands, edges } = this.cells;
    const all = to - from;
    const bin = this.workspace.kernels.bestBin(
      ...([rows, stride, bands, from, to, band, at.counts, classes] as const),
      ...([this.options.leastLeaf, at.scratch, at.found] as const),
    );
    const gain = purity[0]! - squares / all;
    return bin >= 0 && gain > 1e-9 * all
      ? { band, bin: halfway(edges[band]!, bin, above[0]!), gain }
      : null;
  }
}
