import { MOST_BINS } from "./bins";
import type { Forest, Tree } from "./forest";

/** A box of the space of bins: the first and the last bin of it in each band. */
export interface Box {
  low: Uint8Array;
  high: Uint8Array;
}

/** Where a box is cut: bins up to `bin` of a band, and those above. */
export interface Cut {
  band: number;
  bin: number;
}

/** What the trees can say of the cells of a box. */
export interface Outlook {
  /** The class for which they say the most at the least, from nought. */
  top: number;
  /** By look: how much another class may gain on that one at the most by the trees from there on. */
  gains: number[];
}

/** Sums by class of the least and of the largest shares that trees may add. */
interface Sums {
  least: Float64Array;
  largest: Float64Array;
}

const nothing = (classes: number): Sums => ({
  least: new Float64Array(classes),
  largest: new Float64Array(classes),
});

/** The node down to which all cells of a box go the same way. */
function sharedNode({ left, band, bin }: Tree, { low, high }: Box): number {
  let node = 0;
  for (;;) {
    const next = left[node]!;
    const own = band[node]!;
    if (next === node) {
      return node;
    } else if (high[own]! <= bin[node]!) {
      node = next;
    } else if (low[own]! > bin[node]!) {
      node = next + 1;
    } else {
      return node;
    }
  }
}

/** Finds what the trees of a forest have to say of a box of the space of bins. */
export class BoxSurvey {
  /** How many trees have one leaf for the whole box. */
  settled = 0;
  /** By tree the node down to which all cells go the same way. */
  private readonly shared: Uint16Array;
  private readonly byBand: Uint32Array;
  private readonly byBin: Uint32Array;
  private readonly own: Sums;
  private readonly open: number[] = [];

  /** @param looks numbers of trees after which is looked, ascending from nought */
  constructor(
    private readonly forest: Forest,
    private readonly looks: readonly number[],
  ) {
    const bands = forest.bins.length;
    this.shared = new Uint16Array(forest.trees.length);
    this.byBand = new Uint32Array(bands);
    this.byBin = new Uint32Array(bands * MOST_BINS);
    this.own = nothing(forest.classes);
  }

  /** Goes down the trees as far as all cells of a box do together. */
  begin(box: Box): void {
    this.byBand.fill(0);
    this.byBin.fill(0);
    this.settled = 0;
    this.forest.trees.forEach((tree, k) => {
      const node = sharedNode(tree, box);
      this.shared[k] = node;
      if (tree.left[node] === node) {
        this.settled++;
      } else {
        this.byBand[tree.band[node]!]!++;
        this.byBin[tree.band[node]! * MOST_BINS + tree.bin[node]!]!++;
      }
    });
  }

  /** Where the most trees part the cells of the box: the middle one of the splits in the band that has the most. */
  cut(): Cut {
    const { byBand, byBin } = this;
    const band = byBand.indexOf(Math.max(...byBand));
    let [bin, below] = [-1, 0];
    while (below * 2 < byBand[band]!) {
      below += byBin[band * MOST_BINS + ++bin]!;
    }
    return { band, bin };
  }

  /**
   * What the trees can say of the cells of the box.
   * @param isThorough also of trees that part them: by the leaves that are reached, else they may say anything
   */
  outlook(box: Box, isThorough: boolean): Outlook {
    const fromLooks = this.sumsFrom(box, isThorough);
    const { least } = fromLooks[0]!;
    const top = least.indexOf(Math.max(...least));
    const gains = fromLooks.map((sums) => {
      sums.largest[top] = -Infinity;
      return Math.max(...sums.largest) - sums.least[top]!;
    });
    return { top, gains };
  }

  /** By look what the trees from there on may add. */
  private sumsFrom(box: Box, isThorough: boolean): Sums[] {
    const { forest, looks, own } = this;
    const { classes } = forest;
    const { least, largest } = nothing(classes);
    const fromLooks: Sums[] = [];
    let end = forest.trees.length;
    for (const look of looks.toReversed()) {
      for (let tree = look; tree < end; tree++) {
        this.reach(tree, box, isThorough);
        for (let k = 0; k < classes; k++) {
          least[k]! += own.least[k]!;
          largest[k]! += own.largest[k]!;
        }
      }
      end = look;
      fromLooks.unshift({ least: least.slice(), largest: largest.slice() });
    }
    return fromLooks;
  }

  /** The least and the largest share by class that a tree may have for cells of a box. */
  private reach(number: number, box: Box, isThorough: boolean): void {
    const { own } = this;
    const tree = this.forest.trees[number]!;
    const first = this.shared[number]!;
    const isSettled = tree.left[first] === first;
    const isOpen = !isSettled && !isThorough;
    own.least.fill(isOpen ? 0 : Infinity);
    own.largest.fill(isOpen ? 1 : -Infinity);
    if (isSettled) {
      this.take(tree, first);
    } else if (isThorough) {
      this.reachLeaves(tree, first, box);
    }
  }

  private reachLeaves(tree: Tree, first: number, { low, high }: Box): void {
    const { open } = this;
    open.push(first);
    while (open.length > 0) {
      const node = open.pop()!;
      const left = tree.left[node]!;
      if (left === node) {
        this.take(tree, node);
        continue;
      }
      const band = tree.band[node]!;
      if (low[band]! <= tree.bin[node]!) {
        open.push(left);
      }
      if (high[band]! > tree.bin[node]!) {
        open.push(left + 1);
      }
    }
  }

  private take({ shares }: Tree, leaf: number): void {
    const { least, largest } = this.own;
    for (let k = 0, at = leaf * least.length; k < least.length; k++, at++) {
      const share = shares[at]!;
      least[k] = share < least[k]! ? share : least[k]!;
      largest[k] = share > largest[k]! ? share : largest[k]!;
    }
  }
}
