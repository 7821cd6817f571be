import { type Runs, RunsBuilder, fillWindow } from "./runs";

/** Which class is kept only near which other, and how many rows and columns away that may be. */
export interface Beside {
  label: number;
  of: number;
  reach: number;
}

/** Marks, 1, the cells of a row within reach of the other class in that row. */
function markRow(row: Uint8Array, { of, reach }: Beside, out: Uint8Array): void {
  out.fill(0);
  for (let c = 0; c < row.length;) {
    const value = row[c]!;
    const from = c;
    do {
      c++;
    } while (c < row.length && row[c] === value);
    if (value === of) {
      out.fill(1, Math.max(0, from - reach), Math.min(row.length, c + reach));
    }
  }
}

/**
 * Takes a class away where no cell of another lies near: cells of `label` become no class unless a
 * cell of `of` lies within `reach` rows and columns. Nodata and other classes stay.
 * @returns the map as runs, and how many cells changed
 */
export function keepBeside(runs: Runs, beside: Beside): { runs: Runs; changed: number } {
  const { width, height } = runs;
  const { label, reach } = beside;
  const size = 2 * reach + 1;
  const built = new RunsBuilder(width, height);
  const marks = Array.from({ length: size }, () => new Uint8Array(width));
  const near = new Uint16Array(width);
  const row = new Uint8Array(width);
  let changed = 0;
  const count = (r: number, by: 1 | -1) => {
    const mark = marks[r % size]!;
    for (let c = 0; c < width; c++) {
      near[c] = near[c]! + by * mark[c]!;
    }
  };
  for (let r = 0; r < height + reach; r++) {
    if (r >= size) {
      count(r, -1);
    }
    if (r < height) {
      fillWindow(runs, 0, r, width, 1, row);
      markRow(row, beside, marks[r % size]!);
      count(r, 1);
    } else {
      marks[r % size]!.fill(0);
    }
    if (r >= reach) {
      fillWindow(runs, 0, r - reach, width, 1, row);
      for (let c = 0; c < width; c++) {
        if (row[c] === label && near[c] === 0) {
          row[c] = 0;
          changed++;
        }
      }
      built.addRow(row);
    }
  }
  return { runs: built.finish(), changed };
}
