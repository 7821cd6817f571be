import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, levelGrid } from "@hindglance/core/grid/grid";
import { halveFirst, halveMean, halveMode, halveRms } from "@hindglance/core/raster/pyramid";
import { type Cells, realCells, labelCells } from "@hindglance/core/raster/block";
import { type StoredBlock, blockWindow, readBlocks, removeBlocks, writeBlocks } from "../db/blocks";
import type { Client, Database } from "../db/pool";
import { type RowRange, rowRanges } from "./ranges";

/** Ranges of rows in which a level of an image is made from the finer one. */
export const levelRanges = (info: ImageInfo, level: number): RowRange[] => {
  const grid = levelGrid(info.grid, level);
  return rowRanges(grid.width, grid.height);
};

/**
 * Makes the blocks of a level from those of the level below: means of power and values, most
 * frequent class.
 */
export async function buildLevel(
  db: Database,
  image: string,
  info: ImageInfo,
  level: number,
  range: RowRange,
  signal: AbortSignal,
): Promise<(client: Client) => Promise<void>> {
  const fine = levelGrid(info.grid, level - 1);
  const grid = levelGrid(info.grid, level);
  const across = Math.ceil(grid.width / BLOCK);
  const blocks: StoredBlock[] = [];
  for (let row = range.from; row < range.to; row++) {
    for (let col = 0; col < across; col++) {
      signal.throwIfAborted();
      const below = await db.withClient((client) =>
        readBlocks(
          client,
          image,
          level - 1,
          row * 2,
          row * 2 + 2,
          col * 2,
          col * 2 + 2,
          level === 1 && info.stored ? info.stored : "float32",
        ),
      );
      const out = blockWindow(row, col, grid.width, grid.height);
      const w = Math.min(2 * BLOCK, fine.width - col * 2 * BLOCK);
      const h = Math.min(2 * BLOCK, fine.height - row * 2 * BLOCK);
      info.bands.forEach((b0, band) => {
        const joined: Cells =
          info.type === "float32" ? new Float32Array(w * h) : new Uint8Array(w * h);
        for (const decodedBlock of below.filter((x) => x.band === band)) {
          const from = blockWindow(decodedBlock.row, decodedBlock.col, fine.width, fine.height);
          for (let r = 0; r < from.height; r++) {
            joined.set(
              decodedBlock.cells.subarray(r * from.width, (r + 1) * from.width),
              (from.row - row * 2 * BLOCK + r) * w + from.col - col * 2 * BLOCK,
            );
          }
        }
        const cells: Cells =
          info.type === "float32"
            ? new Float32Array(out.width * out.height)
            : new Uint8Array(out.width * out.height);
        if (joined instanceof Float32Array) {
          if (b0.role === "amplitude") {
            halveRms(joined, w, h, realCells(cells));
          } else if (b0.role === "quality") {
            halveFirst(joined, w, h, realCells(cells));
          } else {
            halveMean(joined, w, h, realCells(cells));
          }
        } else {
          halveMode(joined, w, h, labelCells(cells));
        }
        blocks.push({ level, row, col, band, cells });
      });
    }
  }
  return async (client) => {
    await removeBlocks(client, image, level, range.from, range.to);
    await writeBlocks(client, image, blocks);
  };
}
