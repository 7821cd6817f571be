import type { Workspace } from "../wasm/kernels";
import { type Cells, CellRows } from "./cellRows";
import type { Tree } from "./forest";
import { MOST_NODES } from "./growTree";

/** Cells that the out-of-bag error is counted of, at the most. */
const MOST_CELLS = 10_000;
/** What trees say of cells that they were not grown from; of many cells, of some. */
export class OutOfBag {
  private readonly chosen: Int32Array;
  private readonly rows: CellRows;
  private readonly nodesAt: number;
  private readonly leavesAt: number;
  /** By cell and class the sum of the shares. */
  private readonly votes: Float32Array;

  /** @param workspace of which it takes what it needs: no other may begin before the last tree */
  constructor(
    private readonly workspace: Workspace,
    private readonly cells: Cells,
  ) {
    const all = cells.labels.length;
    const every = Math.max(1, Math.ceil(all / MOST_CELLS));
    this.chosen = Int32Array.from({ length: Math.ceil(all / every) }, (_v, i) => i * every);
    this.rows = new CellRows(workspace, this.chosen.length, cells.bands);
    this.nodesAt = workspace.take(4 * MOST_NODES);
    this.leavesAt = workspace.take(2 * this.chosen.length);
    this.rows.fill(cells, this.chosen);
    this.votes = new Float32Array(this.chosen.length * cells.classes);
  }

  /** @param isDrawn by cell, whether the tree was grown from it */
  add(tree: Tree, isDrawn: Uint8Array): void {
    const { chosen, votes } = this;
    const { classes } = this.cells;
    const leaves = this.leavesOf(tree);
    for (let i = 0; i < chosen.length; i++) {
      if (!isDrawn[chosen[i]!]) {
        const from = leaves[i]! * classes;
        const to = i * classes;
        for (let k = 0; k < classes; k++) {
          votes[to + k]! += tree.shares[from + k]!;
        }
      }
    }
  }

  /** How many cells some tree was not grown from, and of how many of them those trees together are wrong. */
  score(): { cells: number; wrong: number } {
    const { labels, classes } = this.cells;
    let counted = 0;
    let wrong = 0;
    this.chosen.forEach((cell, i) => {
      const own = this.votes.subarray(i * classes, (i + 1) * classes);
      const top = own.reduce((best, vote, k) => (vote > own[best]! ? k : best), 0);
      if (own[top]! > 0) {
        counted++;
        wrong += top === labels[cell] ? 0 : 1;
      }
    });
    return { cells: counted, wrong };
  }

  /** The leaf in which each of the cells ends. */
  private leavesOf({ left, band, bin, depth }: Tree): Uint16Array {
    const { workspace, chosen, rows } = this;
    const nodes = workspace.u32(this.nodesAt, left.length);
    for (let node = 0; node < left.length; node++) {
      nodes[node] = band[node]! | (bin[node]! << 8) | (left[node]! << 16);
    }
    const count = chosen.length;
    workspace.kernels.leavesOf(rows.at, rows.stride, this.nodesAt, depth, this.leavesAt, count);
    return workspace.u16(this.leavesAt, count);
  }
}
