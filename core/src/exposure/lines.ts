import type { Position } from "../vector/polygons";

/** A piece of a segment within one cell, as shares of the segment. */
export interface CellPiece {
  col: number;
  row: number;
  from: number;
  to: number;
}

/** Shares of a segment at which it crosses whole numbers along an axis. */
function crossingsAlong(start: number, end: number): number[] {
  if (start === end) {
    return [];
  }
  const shares: number[] = [];
  for (let at = Math.floor(Math.min(start, end)) + 1; at < Math.max(start, end); at++) {
    shares.push((at - start) / (end - start));
  }
  return shares;
}

/**
 * A segment cut at the sides of cells.
 * @param from and @param to in columns and rows
 */
export function piecesOf(from: Position, to: Position): CellPiece[] {
  const shares = [0, ...crossingsAlong(from[0], to[0]), ...crossingsAlong(from[1], to[1]), 1].sort(
    (one, other) => one - other,
  );
  const pieces: CellPiece[] = [];
  for (let k = 0; k + 1 < shares.length; k++) {
    const [start, end] = [shares[k]!, shares[k + 1]!];
    if (end > start) {
      const middle = (start + end) / 2;
      const col = Math.floor(from[0] + middle * (to[0] - from[0]));
      const row = Math.floor(from[1] + middle * (to[1] - from[1]));
      pieces.push({ col, row, from: start, to: end });
    }
  }
  return pieces;
}
