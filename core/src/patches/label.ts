import { type Runs, runEnd } from "./runs";

/**
 * Patch number of each run (0-based, in reading order of the first cell) and the size of each patch
 * in cells.
 */
export interface Labelling {
  patchOfRun: Uint32Array;
  sizes: Float64Array;
  count: number;
}

/**
 * Connected components of equal labels over runs, by union–find with path halving.
 * Source: two-pass labelling, Rosenfeld & Pfaltz 1966, on runs. Runs of a patch that somebody gave an
 * outline are one patch, whether they touch or not, and no other run joins them.
 * @param neighbours 4: cells that share a side; 8: a corner is enough
 */
export function labelRuns(runs: Runs, neighbours: 4 | 8): Labelling {
  const { rows, starts, labels, height, numbers } = runs;
  const n = starts.length;
  const parent = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    parent[i] = i;
  }
  const find = (i: number): number => {
    while (parent[i] !== i) {
      parent[i] = parent[parent[i]!]!;
      i = parent[i]!;
    }
    return i;
  };
  const join = (one: number, other: number) => {
    const [x, y] = [find(one), find(other)];
    parent[Math.max(x, y)] = Math.min(x, y);
  };
  const reach = neighbours === 8 ? 1 : 0;
  for (let r = 1; r < height; r++) {
    let a = rows[r - 1]!;
    const aEnd = rows[r]!;
    for (let b = aEnd, bEnd = rows[r + 1]!; b < bEnd; b++) {
      const from = starts[b]! - reach;
      const to = runEnd(runs, b, r) + reach;
      // Runs of the row above that overlap [from, to).
      while (a < aEnd && runEnd(runs, a, r - 1) <= from) {
        a++;
      }
      for (let k = a; k < aEnd && starts[k]! < to; k++) {
        if (labels[k] === labels[b] && numbers?.[k] === numbers?.[b]) {
          join(k, b);
        }
      }
      // One run above can touch two runs here: step back over the last.
      if (a > rows[r - 1]!) {
        a--;
      }
    }
  }
  joinNumbered(numbers, join);
  const patchOfRun = new Uint32Array(n);
  let count = 0;
  for (let i = 0; i < n; i++) {
    patchOfRun[i] = parent[i] === i ? count++ : patchOfRun[find(i)]!;
  }
  const sizes = new Float64Array(count);
  for (let r = 0; r < height; r++) {
    for (let i = rows[r]!; i < rows[r + 1]!; i++) {
      sizes[patchOfRun[i]!]! += runEnd(runs, i, r) - starts[i]!;
    }
  }
  return { patchOfRun, sizes, count };
}

/** Joins all runs of one number. */
function joinNumbered(
  numbers: Uint32Array | undefined,
  join: (one: number, other: number) => void,
): void {
  const first = new Map<number, number>();
  numbers?.forEach((number, run) => {
    if (number > 0) {
      join(first.get(number) ?? run, run);
      first.set(number, first.get(number) ?? run);
    }
  });
}
