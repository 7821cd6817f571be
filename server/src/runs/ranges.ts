import { BLOCK, type Grid, type Window } from "@hindglance/core/grid/grid";
import { blockWindow } from "../db/blocks";

/** Rows of blocks [from, to) that one range covers. */
export interface RowRange {
  from: number;
  to: number;
  cells: number;
}

/**
 * Cuts an image into ranges of whole block rows of about `cells` cells: some seconds of work each.
 */
export function rowRanges(width: number, height: number, cells = 12e6): RowRange[] {
  const rows = Math.ceil(height / BLOCK);
  const each = Math.max(1, Math.floor(cells / (Math.min(BLOCK, height) * width)));
  const out: RowRange[] = [];
  for (let from = 0; from < rows; from += each) {
    const to = Math.min(rows, from + each);
    out.push({ from, to, cells: width * (Math.min(height, to * BLOCK) - from * BLOCK) });
  }
  return out;
}

/** Windows of the blocks of a range, from the left and from the top. */
export function blockWindows(
  { width, height }: Pick<Grid, "width" | "height">,
  { from, to }: Pick<RowRange, "from" | "to">,
): Window[] {
  const across = Math.ceil(width / BLOCK);
  return Array.from({ length: (to - from) * across }, (_, k) =>
    blockWindow(from + Math.floor(k / across), k % across, width, height),
  );
}
