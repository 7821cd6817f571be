import { utm } from "../geodesy/crs";
import { type Grid, type Window, levelGrid, northUp } from "../grid/grid";
import {
  type Block,
  type Cells,
  copyWindow,
  emptyCells,
  labelCells,
  realCells,
} from "../raster/block";
import { halveMean, halveMode } from "../raster/pyramid";
import type { ImageInfo } from "../graph/image";
import type { SourceReader } from "../graph/evaluator";

/**
 * Reproducible numbers in [0, 1): a 32-bit linear congruential generator (Numerical Recipes
 * constants), for tests only.
 */
export function lcg(seed: number): () => number {
  let s = seed >>> 0;
  return () => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return s / 4294967296;
  };
}

export const testGrid = (width: number, height: number): Grid =>
  northUp(utm(27, true), 500000, 5170000, 20, 20, width, height);

/** Images in memory with their pyramids. */
export function memorySources(
  images: Record<string, { info: ImageInfo; bands: Cells[] }>,
): SourceReader {
  const levelOf = (
    id: string,
    level: number,
  ): { bands: Cells[]; width: number; height: number } => {
    const { info, bands } = images[id]!;
    let grid = info.grid;
    let b = bands;
    for (let coarser = 1; coarser <= level; coarser++) {
      const next = levelGrid(info.grid, coarser);
      b = b.map((src) => {
        const cells = emptyCells(info.type, next.width * next.height);
        if (src instanceof Uint8Array) {
          halveMode(src, grid.width, grid.height, labelCells(cells));
        } else {
          halveMean(src, grid.width, grid.height, realCells(cells));
        }
        return cells;
      });
      grid = next;
    }
    return { bands: b, width: grid.width, height: grid.height };
  };
  return {
    info: async (id) => images[id]!.info,
    read: async (id, level, window: Window): Promise<Block> => {
      const coarser = levelOf(id, level);
      return {
        window,
        bands: coarser.bands.map((src) => {
          const out = emptyCells(images[id]!.info.type, window.width * window.height);
          copyWindow(
            src,
            { col: 0, row: 0, width: coarser.width, height: coarser.height },
            out,
            window,
          );
          return out;
        }),
      };
    },
  };
}
