import type { Position } from "@hindglance/core/vector/polygons";

/** A box as its west, south, east and north. */
export type Box = readonly [west: number, south: number, east: number, north: number];

/** The box of nothing. */
export const NOWHERE: Box = [Infinity, Infinity, -Infinity, -Infinity];

/** The smallest box that holds two. */
export const joinedBox = (one: Box, other: Box): Box => [
  Math.min(one[0], other[0]),
  Math.min(one[1], other[1]),
  Math.max(one[2], other[2]),
  Math.max(one[3], other[3]),
];

/** The box of positions. */
export const boxOf = (positions: readonly Position[]): Box =>
  positions.reduce<Box>((box, [x, y]) => joinedBox(box, [x, y, x, y]), NOWHERE);
