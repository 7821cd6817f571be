import type { Window } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";
import type { MultiPolygon } from "../vector/polygons";
import { rasteriseSpans } from "../vector/rasterise";
import { type Size, cellGrid } from "./cells";

/** What edits of a map come to: ground that was of a patch, and the patches that are there instead. */
export interface Painting {
  /** Outlines of patches that are not there any more, in cells of the map. */
  erased: readonly MultiPolygon[];
  /** Patches that edits made. */
  laid: readonly { number: number; label: number; polygons: MultiPolygon }[];
}

/** Cells of a window of a map: its classes, and where wanted the numbers of patches that edits made. */
export interface PaintedCells {
  labels: Uint8Array;
  /** 0 where no edit made a patch. */
  numbers?: Float32Array;
}

/**
 * Paints edits over cells of a map: a cell belongs to the patch in whose outline its centre lies. Ground
 * that is taken from a patch has no class (0); ground that was not seen (255) stays so where no patch is
 * laid over it.
 * @param level of overviews: cells are 2^level cells of the map wide
 */
export function paint(
  { erased, laid }: Painting,
  window: Window,
  { size, level }: { size: Size; level: number },
  { labels, numbers }: PaintedCells,
): void {
  const grid = cellGrid(size, 2 ** level);
  const each = (polygons: MultiPolygon, to: (from: number, until: number) => void) =>
    rasteriseSpans(polygons, grid, window, (row, from, until) => {
      const at = (row - window.row) * window.width - window.col;
      to(at + from, at + until);
    });
  for (const polygons of erased) {
    each(polygons, (from, until) => {
      for (let cell = from; cell < until; cell++) {
        labels[cell] = labels[cell] === CLASS_NODATA ? CLASS_NODATA : 0;
      }
      numbers?.fill(0, from, until);
    });
  }
  for (const { number, label, polygons } of laid) {
    each(polygons, (from, until) => {
      labels.fill(label, from, until);
      numbers?.fill(number, from, until);
    });
  }
}
