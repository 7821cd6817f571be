import { type Grid, type Window, toCell } from "../grid/grid";
import type { MultiPolygon } from "./polygons";

/**
 * Calls `span(row, from, to)` for every run of cells of `w` whose centres lie inside the polygons
 * (even–odd rule; a centre
 * exactly on an edge belongs to the side with larger column). Rows and columns are those of the
 * grid.
 */
export function rasteriseSpans(
  m: MultiPolygon,
  grid: Grid,
  w: Window,
  span: (row: number, from: number, to: number) => void,
): void {
  // Edges in cell coordinates, upper end first; horizontal ones never cross a row of centres.
  const edges: number[] = [];
  for (const polygon of m) {
    for (const ring of polygon) {
      for (let i = 0; i + 1 < ring.length; i++) {
        let [x0, y0] = toCell(grid, ring[i]![0], ring[i]![1]);
        let [x1, y1] = toCell(grid, ring[i + 1]![0], ring[i + 1]![1]);
        if (y0 === y1) {
          continue;
        }
        if (y0 > y1) {
          [x0, x1] = [x1, x0];
          [y0, y1] = [y1, y0];
        }
        if (y1 > w.row && y0 < w.row + w.height) {
          edges.push(x0, y0, x1, y1);
        }
      }
    }
  }
  const order = Array.from({ length: edges.length / 4 }, (_, k) => k * 4).sort(
    (a, b) => edges[a + 1]! - edges[b + 1]!,
  );
  let active: number[] = [];
  let next = 0;
  const xs: number[] = [];
  for (let row = w.row; row < w.row + w.height; row++) {
    const y = row + 0.5;
    while (next < order.length && edges[order[next]! + 1]! <= y) {
      active.push(order[next++]!);
    }
    active = active.filter((k) => edges[k + 3]! > y);
    xs.length = 0;
    for (const k of active) {
      xs.push(
        edges[k]! +
          ((edges[k + 2]! - edges[k]!) * (y - edges[k + 1]!)) / (edges[k + 3]! - edges[k + 1]!),
      );
    }
    xs.sort((a, b) => a - b);
    for (let i = 0; i + 1 < xs.length; i += 2) {
      const from = Math.max(w.col, Math.ceil(xs[i]! - 0.5));
      const to = Math.min(w.col + w.width, Math.ceil(xs[i + 1]! - 0.5));
      if (to > from) {
        span(row, from, to);
      }
    }
  }
}

/**
 * Fills the cells of `out` (window `w`) whose centres are inside with `value`; others are left
 * alone.
 */
export function rasterise(
  m: MultiPolygon,
  grid: Grid,
  w: Window,
  value: number,
  out: Float32Array | Uint8Array | Uint16Array,
): void {
  rasteriseSpans(m, grid, w, (row, from, to) =>
    out.fill(value, (row - w.row) * w.width + from - w.col, (row - w.row) * w.width + to - w.col),
  );
}
