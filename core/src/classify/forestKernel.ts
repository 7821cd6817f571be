import { Workspace } from "../wasm/kernels";
import { GROUP, inGroups } from "./binGroups";
import { type BinTable, tableOf } from "./binTable";
import type { Forest, Tree } from "./forest";

/** Cells that go through the trees at a time: their bins and sums stay in the processor's cache. */
const CHUNK = 1 << 14;

/** A forest as the kernel reads it. */
interface Packed {
  /** Four classes at a time. */
  quads: number;
  /** By band. */
  tables: BinTable[];
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

function packedTree(tree: Tree, classes: number, quads: number): PackedTree {
  const { band, bin, left, depth } = tree;
  const count = left.length;
  const wide = 4 * quads;
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
    tables: bins.map(tableOf),
    trees: trees.map((tree) => packedTree(tree, classes, quads)),
  };
  packedForests.set(forest, made);
  return made;
}

/** Where a tree lies in the kernels' memory. */
type Addresses = Record<"top" | "entries" | "nodes" | "shares", number>;

/** A forest in the kernels' memory, with room for a chunk of cells on their way through the trees. */
export class ForestKernel {
  readonly workspace = Workspace.begin();
  /** Cells of a chunk at the most. */
  readonly size: number;
  /** Four classes at a time. */
  readonly quads: number;
  /** Address of the bins by group of cells, band by band; and the bytes of a group. */
  readonly cells: number;
  readonly wide: number;
  /** Address of the sums of the shares of the trees so far, by cell. */
  readonly sums: number;
  private readonly packed: Packed;
  private readonly trees: Addresses[];
  private readonly tables: Record<"edges" | "starts", number>[];
  private readonly src: number;
  private readonly isNone: Uint8Array;

  /** @param cells how many there are in all */
  constructor(forest: Forest, cells: number) {
    const { workspace } = this;
    this.size = Math.min(inGroups(cells), CHUNK);
    this.packed = packed(forest);
    const { quads, tables, trees } = this.packed;
    this.quads = quads;
    this.trees = trees.map(({ top, entries, nodes, shares }) => ({
      top: workspace.take(top.byteLength),
      entries: workspace.take(entries.byteLength),
      nodes: workspace.take(nodes.byteLength),
      shares: workspace.take(shares.byteLength),
    }));
    this.tables = tables.map(({ edges, starts }) => ({
      edges: workspace.take(edges.byteLength),
      starts: workspace.take(starts.byteLength),
    }));
    this.src = workspace.take(this.size * 4);
    this.cells = workspace.take(this.size * tables.length);
    this.wide = GROUP * tables.length;
    this.sums = workspace.take(this.size * quads * 16);
    this.isNone = new Uint8Array(this.size);
    this.load();
  }

  private load(): void {
    const { workspace } = this;
    const { tables, trees } = this.packed;
    trees.forEach(({ top, entries, nodes, shares }, k) => {
      const at = this.trees[k]!;
      workspace.u8(at.top, top.length).set(top);
      workspace.u32(at.entries, entries.length).set(entries);
      workspace.u16(at.nodes, nodes.length).set(nodes);
      workspace.f32(at.shares, shares.length).set(shares);
    });
    tables.forEach(({ edges, starts }, band) => {
      const at = this.tables[band]!;
      workspace.f32(at.edges, edges.length).set(edges);
      workspace.u8(at.starts, starts.length).set(starts);
    });
  }

  /**
   * Takes in a chunk: finds the bins of cells, and sets their sums to nought. Which of them have no number
   * in some band; those lie in the first bin of it.
   */
  begin(bands: readonly Float32Array[], from: number, count: number): Uint8Array {
    const { workspace, isNone } = this;
    isNone.fill(0);
    bands.forEach((band, k) => {
      const own = band.subarray(from, from + count);
      workspace.f32(this.src, count).set(own);
      for (let c = 0; c < count; c++) {
        isNone[c]! |= own[c] === own[c] ? 0 : 1;
      }
      const { base, scale, half } = this.packed.tables[k]!;
      const { edges, starts } = this.tables[k]!;
      workspace.kernels.binValues(
        ...([this.src, edges, starts, base, scale, half] as const),
        ...([this.cells + GROUP * k, this.wide, count] as const),
      );
    });
    workspace.f32(this.sums, this.size * this.quads * 4).fill(0);
    return isNone;
  }

  /** Adds the shares of a tree to the sums of the first cells of the chunk. */
  addTree(tree: number, count: number): void {
    const { levels, depth } = this.packed.trees[tree]!;
    const { top, entries, nodes, shares } = this.trees[tree]!;
    this.workspace.kernels.addTree(
      ...([this.cells, this.wide, top, levels, entries] as const),
      ...([nodes, depth, shares, this.quads, this.sums, inGroups(count)] as const),
    );
  }
}
