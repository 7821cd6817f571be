import { BLOCK, type Window } from '@hindglance/core/grid/grid';
import type { Cells } from '@hindglance/core/raster/block';
import { type BinaryRow, assertUuid, copyIn, copyOut, int2, int4, uuidBytes } from './copy';
import type { Client } from './pool';

/** One stored block: cells of one band, cut at the right and lower edge of the level. */
export interface StoredBlock { level: number; row: number; col: number; band: number; cells: Cells }

const bytesOf = (a: Cells) => new Uint8Array(a.buffer, a.byteOffset, a.byteLength);

/** Adds blocks; a range that is done again first removes what an earlier try may have left. */
export async function writeBlocks(c: Client, image: string, blocks: Iterable<StoredBlock> | AsyncIterable<StoredBlock>): Promise<void> {
  const id = uuidBytes(image);
  async function* rows(): AsyncGenerator<BinaryRow> {
    for await (const b of blocks) yield [id, int2(b.level), int4(b.row), int4(b.col), int2(b.band), b.cells instanceof Float32Array ? bytesOf(b.cells) : null, b.cells instanceof Float32Array ? null : b.cells];
  }
  await copyIn(c, 'image_block (image_id, level, "row", col, band, cells, labels)', rows());
}

export async function removeBlocks(c: Client, image: string, level: number, rowFrom: number, rowTo: number): Promise<void> {
  await c.query('DELETE FROM image_block WHERE image_id = $1 AND level = $2 AND "row" >= $3 AND "row" < $4', [image, level, rowFrom, rowTo]);
}

/** All bands of the blocks [row0, row1) x [col0, col1), in one COPY. */
export async function readBlocks(c: Client, image: string, level: number, row0: number, row1: number, col0: number, col1: number): Promise<StoredBlock[]> {
  for (const n of [level, row0, row1, col0, col1]) if (!Number.isInteger(n)) throw new TypeError(`Not a whole number: ${n}`);
  const rows = await copyOut(c, `SELECT "row", col, band, cells, labels FROM image_block WHERE image_id = '${assertUuid(image)}' AND level = ${level} AND "row" >= ${row0} AND "row" < ${row1} AND col >= ${col0} AND col < ${col1}`);
  return rows.map((r) => {
    const [row, col, band, cells, labels] = r as [Buffer, Buffer, Buffer, Buffer | null, Buffer | null];
    let a: Cells;
    if (cells) { a = new Float32Array(cells.length / 4); bytesOf(a).set(cells); } else a = Uint8Array.from(labels!);
    return { level, row: row.readInt32BE(), col: col.readInt32BE(), band: band.readInt16BE(), cells: a };
  });
}

export const blockWindow = (row: number, col: number, width: number, height: number): Window => ({ row: row * BLOCK, col: col * BLOCK, width: Math.min(BLOCK, width - col * BLOCK), height: Math.min(BLOCK, height - row * BLOCK) });
