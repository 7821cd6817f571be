/** Places of a ring. */
export type Row = [number, number][];

/** A square that goes around clockwise, as shells of Shapefiles do. */
export const square = (west: number, south: number, size: number): Row => [
  [west, south],
  [west, south + size],
  [west + size, south + size],
  [west + size, south],
  [west, south],
];
