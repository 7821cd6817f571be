import type { TallyData } from "../tally/tally";
import { transitionOf } from "./coverClass";

/** An amount of ground. */
export interface Ground {
  cells: number;
  areaM2: number;
}

/** What became of one class, and what it is made of now. */
export interface ClassBalance {
  before: Ground;
  after: Ground;
  unchanged: Ground;
  /** What other classes became it, and what of it became others. */
  gain: Ground;
  loss: Ground;
  /** After less before. */
  net: Ground;
  /** Twice the smaller of gain and loss: what changed places without a change of the total. */
  swap: Ground;
}

/** Areas by what ground was and became. */
export interface FromToTable {
  /** By place of the class before, then after. */
  cells: Ground[][];
  classes: ClassBalance[];
  total: Ground;
  unchanged: Ground;
}

const NONE: Ground = { cells: 0, areaM2: 0 };
const plus = (a: Ground, b: Ground): Ground => ({
  cells: a.cells + b.cells,
  areaM2: a.areaM2 + b.areaM2,
});
const minus = (a: Ground, b: Ground): Ground => ({
  cells: a.cells - b.cells,
  areaM2: a.areaM2 - b.areaM2,
});
const sum = (all: readonly Ground[]): Ground => all.reduce(plus, NONE);

function balanceOf(cells: readonly Ground[][], k: number): ClassBalance {
  const before = sum(cells[k]!);
  const after = sum(cells.map((row) => row[k]!));
  const unchanged = cells[k]![k]!;
  const gain = minus(after, unchanged);
  const loss = minus(before, unchanged);
  const smaller = gain.areaM2 < loss.areaM2 ? gain : loss;
  return {
    ...{ before, after, unchanged, gain, loss },
    net: minus(after, before),
    swap: plus(smaller, smaller),
  };
}

/**
 * The table of a map of transitions.
 * @param tally of labels as `transitionLabel` gives them, all zones or one
 * @param count number of classes
 * @param zone the zone that is asked for, by its place; null: all of them together
 */
export function fromToTable(
  tally: TallyData,
  count: number,
  zone: number | null = null,
): FromToTable {
  const cells = Array.from({ length: count }, () => Array.from({ length: count }, () => NONE));
  for (const [key, n, areaM2] of tally.entries) {
    const label = key % 256;
    if (label === 0 || label > count * count || (zone !== null && Math.floor(key / 256) !== zone)) {
      continue;
    }
    const { from, to } = transitionOf(label, count);
    cells[from]![to] = plus(cells[from]![to]!, { cells: n, areaM2 });
  }
  return {
    cells,
    classes: cells.map((_row, k) => balanceOf(cells, k)),
    total: sum(cells.flat()),
    unchanged: sum(cells.map((row, k) => row[k]!)),
  };
}
