import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, levelGrid } from "@hindglance/core/grid/grid";
import { coarserBlock } from "@hindglance/core/raster/coarserBlock";
import { type StoredBlock, readBlocks, removeBlocks, writeBlocks } from "../db/blocks";
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
      const cells = coarserBlock(
        info,
        fine,
        { row, col },
        (at, band) =>
          below.find((one) => one.row === at.row && one.col === at.col && one.band === band)?.cells,
      );
      cells.forEach((own, band) => blocks.push({ level, row, col, band, cells: own }));
    }
  }
  return async (client) => {
    await removeBlocks(client, image, level, range.from, range.to);
    await writeBlocks(client, image, blocks);
  };
}
