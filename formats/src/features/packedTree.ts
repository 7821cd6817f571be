import { type Box, NOWHERE, joinedBox } from "./box";

/** A tree of boxes, every node but the last of a level full. */
export interface PackedTree {
  /** Items in the order of the leaves. */
  order: Uint32Array;
  /** Boxes of each level, the leaves first and one root last; of one item there is a root over its leaf. */
  levels: Box[][];
}

/** Steps along either side of the square that the curve fills. */
const SIDE = 65_536;

/**
 * Where a place lies along a Hilbert curve of the 16th order.
 * @param x whole number from 0 to 65535, as `y`
 * @returns from 0 to 2^32 - 1
 */
export function alongHilbert(x: number, y: number): number {
  let [px, py, along] = [x, y, 0];
  for (let side = SIDE / 2; side >= 1; side /= 2) {
    const right = (px & side) > 0 ? 1 : 0;
    const up = (py & side) > 0 ? 1 : 0;
    along += side * side * ((3 * right) ^ up);
    if (up === 0) {
      if (right === 1) {
        [px, py] = [SIDE - 1 - px, SIDE - 1 - py];
      }
      [px, py] = [py, px];
    }
  }
  return along;
}

/** Where the middle of each box lies along the curve over all of them. */
function curveOf(boxes: readonly Box[]): number[] {
  const whole = boxes.reduce(joinedBox, NOWHERE);
  const step = (low: number, high: number, from: number, to: number): number =>
    to > from ? Math.floor(((SIDE - 1) * ((low + high) / 2 - from)) / (to - from)) : 0;
  return boxes.map(([west, south, east, north]) =>
    alongHilbert(step(west, east, whole[0], whole[2]), step(south, north, whole[1], whole[3])),
  );
}

/** Boxes of the level above: each holds the next so many. */
function above(boxes: readonly Box[], nodeSize: number): Box[] {
  return Array.from({ length: Math.ceil(boxes.length / nodeSize) }, (_v, k) =>
    boxes.slice(k * nodeSize, (k + 1) * nodeSize).reduce(joinedBox, NOWHERE),
  );
}

/**
 * Packs boxes into a tree, neighbours together. Source: Kamel & Faloutsos 1993, On packing R-trees
 * (order by the Hilbert value of the middle).
 * @param boxes at least one
 * @param nodeSize children of a full node
 */
export function packTree(boxes: readonly Box[], nodeSize: number): PackedTree {
  const curve = curveOf(boxes);
  const order = Uint32Array.from(boxes.keys()).sort(
    (one, other) => curve[one]! - curve[other]! || one - other,
  );
  const levels = [Array.from(order, (item) => boxes[item]!)];
  do {
    levels.push(above(levels.at(-1)!, nodeSize));
  } while (levels.at(-1)!.length > 1);
  return { order, levels };
}
