import type { KeyboardEvent } from "react";

/** A grid of cells that arrow keys walk over; row -1 is its head. */
export interface Moves {
  rows: number;
  columns: number;
  focus(row: number, column: number): void;
}

const STEPS: Record<string, readonly [rows: number, columns: number]> = {
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
};

/** Moves the focus from a cell with an arrow key, not past the edges; other keys pass. */
export function moveTo(e: KeyboardEvent, row: number, column: number, moves: Moves): void {
  const step = STEPS[e.key];
  if (!step) {
    return;
  }
  e.preventDefault();
  moves.focus(
    Math.max(-1, Math.min(moves.rows - 1, row + step[0])),
    Math.max(0, Math.min(moves.columns - 1, column + step[1])),
  );
}
