/**
 * Values of a band as numbers of bins, so that a split of a tree is looked for among 256 places at
 * most, and a cell's values fit in a byte each.
 */
export interface Bins {
  /** Ascending; a value lies in the bin whose number is how many edges are below it. */
  edges: Float64Array;
}

/** Bins at the most: their numbers are bytes. */
export const MOST_BINS = 256;

/**
 * Bins of a band from the values of training cells: one for each different value where there are
 * few, else such that each holds as many cells as can be. Edges lie halfway between values.
 * @param values in any order, all of them numbers
 */
export function binsOf(values: Float64Array): Bins {
  const sorted = values.slice().sort();
  const few = edgesBetween(sorted);
  if (few) {
    return { edges: few };
  }
  const edges: number[] = [];
  for (let bin = 1; bin < MOST_BINS; bin++) {
    const value = sorted[Math.round((bin * sorted.length) / MOST_BINS)]!;
    const below = largestBelow(sorted, value);
    const edge = (below + value) / 2;
    if (below < value && edge > (edges.at(-1) ?? -Infinity)) {
      edges.push(edge);
    }
  }
  return { edges: Float64Array.from(edges) };
}

/** Edges halfway between values that differ; null where those are more than there may be bins. */
function edgesBetween(sorted: Float64Array): Float64Array | null {
  const edges: number[] = [];
  for (let i = 1; i < sorted.length && edges.length < MOST_BINS; i++) {
    if (sorted[i] !== sorted[i - 1]) {
      edges.push((sorted[i - 1]! + sorted[i]!) / 2);
    }
  }
  return edges.length < MOST_BINS ? Float64Array.from(edges) : null;
}

/** The largest value under another one; that itself where it is the least. */
function largestBelow(sorted: Float64Array, value: number): number {
  let from = 0;
  let to = sorted.length;
  while (from < to) {
    const middle = (from + to) >> 1;
    if (sorted[middle]! < value) {
      from = middle + 1;
    } else {
      to = middle;
    }
  }
  return from > 0 ? sorted[from - 1]! : value;
}

/** Number of the bin of a value: how many edges are below it. NaN lies in bin 0. */
export function binOf({ edges }: Bins, value: number): number {
  let from = 0;
  let to = edges.length;
  while (from < to) {
    const middle = (from + to) >> 1;
    if (value > edges[middle]!) {
      from = middle + 1;
    } else {
      to = middle;
    }
  }
  return from;
}
