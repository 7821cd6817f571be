import { CLASS_NODATA } from "../raster/block";
import { inGroups } from "./binGroups";
import { DecidedBoxes, ROUNDED } from "./decidedBoxes";
import type { Forest } from "./forest";
import { ForestKernel } from "./forestKernel";

/** How often is looked, on the way through the trees, which cells are decided. */
const LOOKS = 6;

/** Where a cell is before it is in any box. */
const NOWHERE = 1;

/** After how many trees that is. */
const looksAt = (trees: number): number[] => [
  ...new Set(Array.from({ length: LOOKS }, (_v, look) => Math.round((look * trees) / LOOKS))),
];

const boxesOfForests = new WeakMap<Forest, DecidedBoxes>();

/** The boxes of a forest, which go on being found from call to call. */
function boxesOf(forest: Forest): DecidedBoxes {
  const boxes =
    boxesOfForests.get(forest) ?? new DecidedBoxes(forest, looksAt(forest.trees.length));
  boxesOfForests.set(forest, boxes);
  return boxes;
}

/**
 * Labels cells chunk by chunk: those in boxes that are decided without the trees, others as soon as the
 * trees that are left cannot change their class any more.
 */
class Labeller {
  private readonly boxes: DecidedBoxes;
  private readonly kernel: ForestKernel;
  /** Addresses: boxes, and by cell the one in which it is; see the kernels. */
  private readonly nodes: number;
  private readonly inside: number;
  /** Numbers of the cells that are undecided; by number the likely class, the class, and by look the gains. */
  private readonly numbers: number;
  private readonly tops: number;
  private readonly out: number;
  private readonly gains: number;
  private readonly last: Uint32Array;

  constructor(
    private readonly forest: Forest,
    cells: number,
  ) {
    const boxes = boxesOf(forest);
    const kernel = new ForestKernel(forest, cells);
    const { workspace, size } = kernel;
    this.boxes = boxes;
    this.kernel = kernel;
    this.nodes = workspace.take(boxes.nodes.byteLength);
    this.inside = workspace.take(size * 4);
    this.numbers = workspace.take(size * 4);
    this.tops = workspace.take(size);
    this.out = workspace.take(size);
    this.gains = workspace.take(size * boxes.looks.length * 4);
    this.last = new Uint32Array(size);
  }

  label(bands: readonly Float32Array[], out: Uint8Array): void {
    const { size, workspace } = this.kernel;
    for (let from = 0; from < out.length; from += size) {
      const count = Math.min(size, out.length - from);
      const isNone = this.kernel.begin(bands, from, count);
      this.findBoxes(count);
      this.throughTrees(this.withoutTrees(isNone, count));
      out.set(workspace.u8(this.out, count), from);
    }
  }

  /** Finds the boxes in which the cells of a chunk lie, and cuts those that many came to. */
  private findBoxes(count: number): void {
    const { boxes, last, nodes } = this;
    const { workspace, cells, wide, size } = this.kernel;
    const inside = workspace.u32(this.inside, size).fill(0);
    last.fill(NOWHERE);
    do {
      workspace.u32(nodes, 2 * boxes.count).set(boxes.nodes.subarray(0, 2 * boxes.count));
      workspace.kernels.descendBoxes(cells, wide, nodes, this.inside, inGroups(count));
      for (let c = 0; c < count; c++) {
        if (inside[c] !== last[c]) {
          last[c] = inside[c]!;
          boxes.visit(inside[c]! >> 3);
        }
      }
    } while (boxes.grow());
  }

  /** Labels cells that need no trees, and moves the others to the front; how many those are. */
  private withoutTrees(isNone: Uint8Array, count: number): number {
    const { workspace, size } = this.kernel;
    const { verdicts } = this.boxes;
    const out = workspace.u8(this.out, size);
    const numbers = workspace.u32(this.numbers, size);
    let kept = 0;
    for (let c = 0; c < count; c++) {
      const verdict = verdicts[this.last[c]! >> 3]!;
      if (isNone[c]) {
        out[c] = CLASS_NODATA;
      } else if (verdict > 0) {
        out[c] = verdict;
      } else {
        numbers[kept++] = c;
      }
    }
    const { cells, wide } = this.kernel;
    workspace.kernels.gatherCells(cells, wide, this.numbers, kept);
    this.takeOutlooks(numbers.subarray(0, kept));
    return kept;
  }

  /** Takes what is known of cells from the boxes in which they lie. */
  private takeOutlooks(numbers: Uint32Array): void {
    const { workspace, size } = this.kernel;
    const { tops, gains, looks } = this.boxes;
    const ownTops = workspace.u8(this.tops, size);
    const ownGains = workspace.f32(this.gains, size * looks.length);
    for (const cell of numbers) {
      const box = this.last[cell]! >> 3;
      ownTops[cell] = tops[box]!;
      for (let look = 0; look < looks.length; look++) {
        ownGains[look * size + cell] = gains[box * looks.length + look]! + ROUNDED;
      }
    }
  }

  private throughTrees(count: number): void {
    const { looks } = this.boxes;
    const trees = this.forest.trees.length;
    let kept = count;
    for (let tree = 0; tree < trees; tree++) {
      this.kernel.addTree(tree, kept);
      const look = looks.indexOf(tree + 1);
      kept = look > 0 ? this.keepUndecided(kept, look, trees - tree - 1 + ROUNDED) : kept;
    }
    // After the last tree whoever is ahead has the cell.
    this.kernel.workspace.f32(this.gains, this.kernel.size).fill(-1);
    this.keepUndecided(kept, 0, -1);
  }

  /** Labels cells that are decided; how many are not. @param others what any class may gain on any */
  private keepUndecided(count: number, look: number, others: number): number {
    const { kernel, gains } = this;
    const { cells, wide, sums, quads, size } = kernel;
    return kernel.workspace.kernels.keepUndecided(
      ...([cells, wide, sums, quads, this.forest.classes, this.numbers] as const),
      ...([this.tops, gains + look * size * 4, others, this.out, count] as const),
    );
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
  new Labeller(forest, out.length).label(bands, out);
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
  const n = out[0]!.length;
  const kernel = new ForestKernel(forest, n);
  const { workspace, size, quads } = kernel;
  const factor = 1 / forest.trees.length;
  for (let from = 0; from < n; from += size) {
    const count = Math.min(size, n - from);
    const isNone = kernel.begin(bands, from, count);
    forest.trees.forEach((_tree, k) => kernel.addTree(k, count));
    const sums = workspace.f32(kernel.sums, size * quads * 4);
    out.forEach((shares, k) => {
      for (let c = 0; c < count; c++) {
        shares[from + c] = isNone[c] ? NaN : sums[c * quads * 4 + k]! * factor;
      }
    });
  }
}
