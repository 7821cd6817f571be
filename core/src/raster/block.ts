import type { Window } from "../grid/grid";

/** Real-valued cells, NaN = nodata; or class labels, 0 = no class, 255 = nodata. */
export type Cells = Float32Array | Uint8Array;
export const CLASS_NODATA = 255;

/** Cells of one window of an image, one array a band, row by row from the window's first cell. */
export interface Block {
  readonly window: Window;
  readonly bands: Cells[];
}

/** Cells as real values. @throws Error where they are labels: a step asked for the wrong band */
export function realCells(cells: Cells): Float32Array {
  if (!(cells instanceof Float32Array)) {
    throw new Error("Real-valued cells were expected, not class labels");
  }
  return cells;
}

/** Cells as class labels. @throws Error where they are real values */
export function labelCells(cells: Cells | Uint16Array): Uint8Array {
  if (!(cells instanceof Uint8Array)) {
    throw new Error("Class labels were expected, not real-valued cells");
  }
  return cells;
}

/** Cells that are all nodata. */
export function emptyCells(type: "float32" | "class8", n: number): Cells {
  return type === "float32" ? new Float32Array(n).fill(NaN) : new Uint8Array(n).fill(CLASS_NODATA);
}

/**
 * Copies the part of `src` (window `from`) that lies in `to` into `out`; cells of `out` outside
 * `from` are left alone.
 */
export function copyWindow(src: Cells, from: Window, out: Cells, to: Window): void {
  const c0 = Math.max(from.col, to.col);
  const c1 = Math.min(from.col + from.width, to.col + to.width);
  const r0 = Math.max(from.row, to.row);
  const r1 = Math.min(from.row + from.height, to.row + to.height);
  if (c1 <= c0) {
    return;
  }
  for (let r = r0; r < r1; r++) {
    const s = (r - from.row) * from.width + c0 - from.col;
    out.set(src.subarray(s, s + c1 - c0), (r - to.row) * to.width + c0 - to.col);
  }
}

/**
 * Makes cells of a block that lie outside an image nodata, whatever a step put there: a window that
 * reaches past the edge holds what a stored image would.
 */
export function emptyBeyond(block: Block, size: { width: number; height: number }): void {
  const { col, row, width, height } = block.window;
  const left = Math.min(width, Math.max(0, -col));
  const right = Math.max(left, Math.min(width, size.width - col));
  if (left === 0 && right === width && row >= 0 && row + height <= size.height) {
    return;
  }
  for (const band of block.bands) {
    const nodata = band instanceof Float32Array ? NaN : CLASS_NODATA;
    for (let r = 0; r < height; r++) {
      const isInside = row + r >= 0 && row + r < size.height;
      band.fill(nodata, r * width, r * width + (isInside ? left : width));
      if (isInside) {
        band.fill(nodata, r * width + right, (r + 1) * width);
      }
    }
  }
}

/** Like `copyWindow`, but only into cells of `out` that are nodata. */
export function fillGaps(src: Cells, from: Window, out: Cells, to: Window): void {
  const c0 = Math.max(from.col, to.col);
  const c1 = Math.min(from.col + from.width, to.col + to.width);
  const r0 = Math.max(from.row, to.row);
  const r1 = Math.min(from.row + from.height, to.row + to.height);
  const float = out instanceof Float32Array;
  for (let r = r0; r < r1; r++) {
    for (
      let c = c0,
        s = (r - from.row) * from.width + c0 - from.col,
        offset = (r - to.row) * to.width + c0 - to.col;
      c < c1;
      c++, s++, offset++
    ) {
      if (float ? out[offset] !== out[offset] : out[offset] === CLASS_NODATA) {
        out[offset] = src[s]!;
      }
    }
  }
}

/** Cut of a block; the parts of `w` outside the block are nodata. */
export function crop(block: Block, w: Window): Block {
  if (
    block.window.col === w.col &&
    block.window.row === w.row &&
    block.window.width === w.width &&
    block.window.height === w.height
  ) {
    return block;
  }
  return {
    window: w,
    bands: block.bands.map((src) => {
      const out = emptyCells(
        src instanceof Float32Array ? "float32" : "class8",
        w.width * w.height,
      );
      copyWindow(src, block.window, out, w);
      return out;
    }),
  };
}

/** Whether one of the values is no number. */
export function hasNaN(a: Float32Array): boolean {
  for (let i = 0, n = a.length; i < n; i++) {
    const value = a[i]!;
    if (value !== value) {
      return true;
    }
  }
  return false;
}
