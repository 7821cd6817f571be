import { CLASS_NODATA } from "../raster/block";
import { Workspace } from "../wasm/kernels";
import { MOST_BINS } from "./bins";
import type { Forest, Tree } from "./forest";

/** Cells that go through the trees at a time: their bins and sums stay in the processor's cache. */
const CHUNK = 1 << 14;

/** Numbers that a cell's shares take up: classes in fours. */
const wideOf = (classes: number): number => 4 * Math.ceil(classes / 4);

/** Cells whose bins lie together, band by band. */
const GROUP = 16;

/** A forest as the kernel reads it. */
interface Packed {
  /** Four classes at a time. */
  quads: number;
  /** By band: 255 edges, those that there are none of infinite. */
  edges: Float64Array[];
  trees: PackedTree[];
}

/** A tree as the kernel reads it; how, stands there. */
interface PackedTree {
  top: Uint8Array;
  levels: number;
  entries: Uint32Array;
  nodes: Uint16Array;
  shares: Float32Array;
  depth: number;
}

/** Levels of a tree that are gone through for sixteen cells at once: places there are bytes. */
const MOST_LEVELS = 8;

/** The first levels of a tree as those of a whole one; below a leaf every place is that leaf. */
function topOf(tree: Tree): Pick<PackedTree, "top" | "levels" | "entries"> {
  const levels = Math.min(MOST_LEVELS, tree.depth);
  const tables: number[] = [];
  let places = [0];
  for (let level = 0; level < levels; level++) {
    const wide = Math.max(16, places.length);
    const padded = Array.from({ length: wide }, (_v, place) => places[place] ?? 0);
    tables.push(
      ...padded.map((node) => tree.band[node]!),
      ...padded.map((node) => tree.bin[node]!),
    );
    places = places.flatMap((node) => {
      const left = tree.left[node]!;
      return left === node ? [node, node] : [left, left + 1];
    });
  }
  return {
    ...{ levels, top: Uint8Array.from(tables) },
    entries: Uint32Array.from(places, (node) => 8 * node),
  };
}

function packedTree(tree: Tree, classes: number): PackedTree {
  const { band, bin, left, depth } = tree;
  const count = left.length;
  const wide = wideOf(classes);
  const shares = new Float32Array(count * wide);
  const nodes = new Uint16Array(count * 4);
  const children = new Uint32Array(nodes.buffer);
  for (let node = 0; node < count; node++) {
    shares.set(tree.shares.subarray(node * classes, (node + 1) * classes), node * wide);
    nodes[4 * node] = GROUP * band[node]!;
    nodes[4 * node + 1] = bin[node]!;
    children[2 * node + 1] = 8 * left[node]!;
  }
  const top = topOf(tree);
  return { ...top, nodes, shares, depth: depth - top.levels };
}

const packedForests = new WeakMap<Forest, Packed>();

function packed(forest: Forest): Packed {
  const known = packedForests.get(forest);
  if (known) {
    return known;
  }
  const { classes, bins, trees } = forest;
  const quads = Math.ceil(classes / 4);
  const made: Packed = {
    quads,
    edges: bins.map(({ edges }) => {
      const all = new Float64Array(MOST_BINS - 1).fill(Infinity);
      all.set(edges);
      return all;
    }),
    trees: trees.map((tree) => packedTree(tree, classes)),
  };
  packedForests.set(forest, made);
  return made;
}

/** Cells of one chunk on their way through the trees. */
interface Chunk {
  /** How many there are still. */
  count: number;
  /** Bins by group of cells, band by band; and by cell the sums of the shares of the trees so far. */
  cells: Uint8Array;
  bands: number;
  sums: Float32Array;
}

/** A number of cells in whole groups. */
const padded = (n: number): number => (n + GROUP - 1) & ~(GROUP - 1);

/** What is done with some cells: before the first tree, after each, and after the last. */
interface Visitor {
  begin(from: number, isNone: Uint8Array, chunk: Chunk): void;
  /** May take cells out. */
  after?(trees: number, chunk: Chunk): void;
  end(chunk: Chunk): void;
}

/** Where a tree lies in the kernels' memory. */
type Addresses = Record<"top" | "entries" | "nodes" | "shares", number>;

/** A forest in the kernels' memory, with room for a chunk of cells. */
class Loaded {
  private readonly workspace = Workspace.begin();
  private readonly trees: Addresses[];
  private readonly edges: number[];
  private readonly src: number;
  private readonly cells: number;
  private readonly sums: number;
  private readonly isNone: Uint8Array;

  constructor(
    private readonly forest: Forest,
    private readonly kept: Packed,
    private readonly size: number,
  ) {
    const { workspace } = this;
    const { quads, edges, trees } = kept;
    this.trees = trees.map(({ top, entries, nodes, shares }) => ({
      top: workspace.take(top.byteLength),
      entries: workspace.take(entries.byteLength),
      nodes: workspace.take(nodes.byteLength),
      shares: workspace.take(shares.byteLength),
    }));
    this.edges = edges.map((all) => workspace.take(all.byteLength));
    this.src = workspace.take(size * 4);
    this.cells = workspace.take(size * edges.length);
    this.sums = workspace.take(size * quads * 16);
    trees.forEach(({ top, entries, nodes, shares }, k) => {
      const at = this.trees[k]!;
      workspace.u8(at.top, top.length).set(top);
      workspace.u32(at.entries, entries.length).set(entries);
      workspace.u16(at.nodes, nodes.length).set(nodes);
      workspace.f32(at.shares, shares.length).set(shares);
    });
    edges.forEach((all, band) => workspace.f64(this.edges[band]!, all.length).set(all));
    this.isNone = new Uint8Array(size);
  }

  /** Finds the bins of some cells; which of them have no number in some band. */
  private bin(bands: readonly Float32Array[], from: number, count: number): void {
    const { workspace, isNone } = this;
    isNone.fill(0);
    bands.forEach((band, k) => {
      const own = band.subarray(from, from + count);
      workspace.f32(this.src, count).set(own);
      for (let c = 0; c < count; c++) {
        isNone[c]! |= own[c] === own[c] ? 0 : 1;
      }
      const bins = this.forest.bins[k]!.edges.length + 1;
      const to = this.cells + GROUP * k;
      const wide = GROUP * bands.length;
      workspace.kernels.binValues(this.src, this.edges[k]!, bins, to, wide, count);
    });
  }

  /** Sends cells through the trees. */
  walk(bands: readonly Float32Array[], from: number, count: number, visitor: Visitor): void {
    const { workspace, kept, size } = this;
    this.bin(bands, from, count);
    const chunk: Chunk = {
      ...{ count, bands: bands.length },
      cells: workspace.u8(this.cells, size * bands.length),
      sums: workspace.f32(this.sums, size * kept.quads * 4).fill(0),
    };
    visitor.begin(from, this.isNone, chunk);
    for (const [k, { levels, depth }] of kept.trees.entries()) {
      const { top, entries, nodes, shares } = this.trees[k]!;
      workspace.kernels.addTree(
        ...([this.cells, GROUP * bands.length, top, levels, entries] as const),
        ...([nodes, depth, shares, kept.quads, this.sums, padded(chunk.count)] as const),
      );
      visitor.after?.(k + 1, chunk);
    }
    visitor.end(chunk);
  }
}

/** Sends cells through all trees, chunk by chunk. */
function throughTrees(
  bands: readonly Float32Array[],
  forest: Forest,
  n: number,
  visitor: Visitor,
): void {
  const size = Math.min(padded(n), CHUNK);
  const loaded = new Loaded(forest, packed(forest), size);
  for (let i = 0; i < n; i += size) {
    loaded.walk(bands, i, Math.min(size, n - i), visitor);
  }
}

/** Where the bin of a cell in a band stands. */
const placeOf = (cell: number, band: number, bands: number): number =>
  ((cell >> 4) * bands + band) * GROUP + (cell & (GROUP - 1));

/**
 * After how many trees is looked which cells are decided. None can be before half of them; where classes
 * lie apart, most are soon after it.
 */
function looksAt(trees: number): Set<number> {
  const looks = new Set<number>();
  for (let step = 2; trees / 2 + step < trees; step *= 2) {
    looks.add(Math.ceil(trees / 2) + step);
  }
  return looks;
}

/** What rounding of sums may have moved a difference by. */
const ROUNDED = 1e-3;

/** Labels cells, and lets those go whose class the trees that are left cannot change any more. */
class Labeller implements Visitor {
  private from = 0;
  /** Numbers of the cells in the chunk that are undecided, in the order in which they stand there. */
  private readonly open = new Int32Array(CHUNK);
  private readonly wide: number;
  private readonly looks: Set<number>;

  constructor(
    private readonly forest: Forest,
    private readonly out: Uint8Array,
  ) {
    this.looks = looksAt(forest.trees.length);
    this.wide = wideOf(forest.classes);
  }

  begin(from: number, isNone: Uint8Array, chunk: Chunk): void {
    this.from = from;
    let kept = 0;
    for (let c = 0; c < chunk.count; c++) {
      if (isNone[c]) {
        this.out[from + c] = CLASS_NODATA;
      } else {
        this.keep(chunk, c, kept);
        this.open[kept++] = c;
      }
    }
    chunk.count = kept;
  }

  after(trees: number, chunk: Chunk): void {
    const left = this.forest.trees.length - trees;
    if (this.looks.has(trees)) {
      this.decide(chunk, left + ROUNDED);
    }
  }

  end(chunk: Chunk): void {
    this.decide(chunk, -1);
  }

  private keep({ cells, bands, sums }: Chunk, at: number, to: number): void {
    if (at !== to) {
      for (let band = 0; band < bands; band++) {
        cells[placeOf(to, band, bands)] = cells[placeOf(at, band, bands)]!;
      }
      sums.copyWithin(to * this.wide, at * this.wide, (at + 1) * this.wide);
    }
  }

  /** Labels cells whose first class leads the second by more than so much. */
  private decide(chunk: Chunk, lead: number): void {
    const { open, wide, out } = this;
    const { classes } = this.forest;
    let kept = 0;
    for (let c = 0; c < chunk.count; c++) {
      let top = 0;
      let first = chunk.sums[c * wide]!;
      let second = -1;
      for (let k = 1; k < classes; k++) {
        const sum = chunk.sums[c * wide + k]!;
        if (sum > first) {
          second = first;
          first = sum;
          top = k;
        } else if (sum > second) {
          second = sum;
        }
      }
      if (first - second > lead) {
        out[this.from + open[c]!] = top + 1;
      } else {
        this.keep(chunk, c, kept);
        open[kept++] = open[c]!;
      }
    }
    chunk.count = kept;
  }
}

/**
 * Number of the class with the largest share in the leaves where each cell ends, counted from 1; of
 * equal ones the first; 255 where a band is nodata. Cells that are decided before the last tree do not
 * go through the others.
 * @param bands by band, cells in one order
 */
export function labelByForest(
  bands: readonly Float32Array[],
  forest: Forest,
  out: Uint8Array,
): void {
  throughTrees(bands, forest, out.length, new Labeller(forest, out));
}

/**
 * Probabilities of the classes of each cell: the mean of the shares in the leaves where it ends; NaN
 * where a band is nodata.
 * @param out by class, cells in the order of the bands
 */
export function sharesByForest(
  bands: readonly Float32Array[],
  forest: Forest,
  out: readonly Float32Array[],
): void {
  const wide = wideOf(forest.classes);
  const factor = 1 / forest.trees.length;
  let first = 0;
  let none = new Uint8Array(0);
  throughTrees(bands, forest, out[0]!.length, {
    begin: (from, isNone) => {
      first = from;
      none = isNone.slice();
    },
    end: ({ count, sums }) => {
      out.forEach((shares, k) => {
        for (let c = 0; c < count; c++) {
          shares[first + c] = none[c] ? NaN : sums[c * wide + k]! * factor;
        }
      });
    },
  });
}
