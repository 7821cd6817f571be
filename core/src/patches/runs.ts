import { CLASS_NODATA } from "../raster/block";

/**
 * A label image as runs of equal labels, row by row. For maps this is a small part of the cells, so
 * that whole-image work
 * (labelling, minimum patch, polygons) stays within a few bytes a run whatever the image size.
 */
export interface Runs {
  readonly width: number;
  readonly height: number;
  /** Index of a row's first run; height + 1 entries. */
  readonly rows: Uint32Array;
  /** First column of each run; a run ends where the next begins or at the width. */
  readonly starts: Uint32Array;
  readonly labels: Uint8Array;
  /**
   * By run the number of the patch that somebody gave an outline, 0 where nobody did; absent where no
   * patch has one.
   */
  readonly numbers?: Uint32Array;
}

/** Column behind the run of equal cells that begins at one. @param numbers cells differ by them too */
export function endOfRun(cells: Uint8Array, from: number, numbers?: Uint32Array): number {
  const label = cells[from];
  let at = from + 1;
  if (!numbers) {
    while (at < cells.length && cells[at] === label) {
      at++;
    }
    return at;
  }
  while (at < cells.length && cells[at] === label && numbers[at] === numbers[from]) {
    at++;
  }
  return at;
}

/** Gathers runs from rows given in order. */
export class RunsBuilder {
  private starts = new Uint32Array(1 << 16);
  private labels = new Uint8Array(1 << 16);
  private n = 0;
  private row = 0;
  private readonly rows: Uint32Array;
  private readonly numbers: number[] = [];
  constructor(
    private readonly width: number,
    private readonly height: number,
  ) {
    this.rows = new Uint32Array(height + 1);
  }

  /** @param numbers of patches that somebody gave an outline, 0 in none; in all rows or in none */
  addRow(cells: Uint8Array, numbers?: Uint32Array): void {
    if (cells.length !== this.width || this.row >= this.height) {
      throw new RangeError(
        `Row ${this.row} of ${this.height} has ${cells.length} cells, not ${this.width}`,
      );
    }
    for (let c = 0; c < cells.length;) {
      this.push(c, cells[c]!);
      if (numbers) {
        this.numbers.push(numbers[c]!);
      }
      c = endOfRun(cells, c, numbers);
    }
    this.rows[++this.row] = this.n;
  }

  push(start: number, label: number): void {
    if (this.n === this.starts.length) {
      const s = new Uint32Array(this.n * 2);
      s.set(this.starts);
      this.starts = s;
      const grown = new Uint8Array(this.n * 2);
      grown.set(this.labels);
      this.labels = grown;
    }
    this.starts[this.n] = start;
    this.labels[this.n++] = label;
  }

  endRow(): void {
    this.rows[++this.row] = this.n;
  }

  finish(): Runs {
    if (this.row !== this.height) {
      throw new RangeError(`Only ${this.row} of ${this.height} rows were given`);
    }
    return {
      width: this.width,
      height: this.height,
      rows: this.rows,
      starts: this.starts.slice(0, this.n),
      labels: this.labels.slice(0, this.n),
      ...(this.numbers.length > 0 ? { numbers: Uint32Array.from(this.numbers) } : {}),
    };
  }
}

/** Class labels as runs of equal cells, row by row; nodata is a run too. */
export function runsOf(cells: Uint8Array, width: number, height: number): Runs {
  const runsBuilder = new RunsBuilder(width, height);
  for (let r = 0; r < height; r++) {
    runsBuilder.addRow(cells.subarray(r * width, (r + 1) * width));
  }
  return runsBuilder.finish();
}

/** Strips of one width, from the top, as one image. */
export function joinRuns(strips: readonly Runs[]): Runs {
  const width = strips[0]!.width;
  const height = strips.reduce((s, runs) => s + runs.height, 0);
  const n = strips.reduce((s, runs) => s + runs.starts.length, 0);
  const rows = new Uint32Array(height + 1);
  const starts = new Uint32Array(n);
  const labels = new Uint8Array(n);
  let row = 0;
  let at = 0;
  for (const strip of strips) {
    if (strip.width !== width) {
      throw new RangeError(`A strip of ${strip.width} columns does not join one of ${width}`);
    }
    starts.set(strip.starts, at);
    labels.set(strip.labels, at);
    for (let r = 0; r <= strip.height; r++) {
      rows[row + r] = at + strip.rows[r]!;
    }
    row += strip.height;
    at += strip.starts.length;
  }
  return { width, height, rows, starts, labels };
}

/** Column behind the last cell of a run. */
export function runEnd(runs: Runs, i: number, row: number): number {
  return i + 1 < runs.rows[row + 1]! ? runs.starts[i + 1]! : runs.width;
}

/** Index of the run that holds a cell. */
export function runAt(runs: Runs, row: number, col: number): number {
  let lo = runs.rows[row]!;
  let hi = runs.rows[row + 1]! - 1;
  while (lo < hi) {
    const mid = (lo + hi + 1) >>> 1;
    if (runs.starts[mid]! <= col) {
      lo = mid;
    } else {
      hi = mid - 1;
    }
  }
  return lo;
}

/** Writes a window of the label image; cells outside the image are nodata. */
export function fillWindow(
  runs: Runs,
  col: number,
  row: number,
  width: number,
  height: number,
  out: Uint8Array,
): void {
  out.fill(CLASS_NODATA);
  for (let r = Math.max(0, row); r < Math.min(runs.height, row + height); r++) {
    const c1 = Math.min(runs.width, col + width);
    let c = Math.max(0, col);
    if (c >= c1) {
      return;
    }
    for (let i = runAt(runs, r, c); c < c1; i++) {
      const end = Math.min(c1, runEnd(runs, i, r));
      out.fill(runs.labels[i]!, (r - row) * width + c - col, (r - row) * width + end - col);
      c = end;
    }
  }
}
