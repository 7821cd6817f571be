import { BLOCK, type Window } from "@hindglance/core/grid/grid";
import type { Cells } from "@hindglance/core/raster/block";
import { type BinaryRow, assertUuid, copyIn, copyOut, int2, int4, uuidBytes } from "./copy";
import type { Client } from "./pool";

/** One stored block: cells of one band, cut at the right and lower edge of the level. */
export interface StoredBlock {
  level: number;
  row: number;
  col: number;
  band: number;
  cells: Cells | Uint16Array;
}
/** How float cells are stored: as they are, or as whole amplitudes (0 is nodata). */
export type Stored = "float32" | "uint16";

const bytesOf = (a: Cells | Uint16Array) => new Uint8Array(a.buffer, a.byteOffset, a.byteLength);

/** Adds blocks; a range that is done again first removes what an earlier try may have left. */
export async function writeBlocks(
  client: Client,
  image: string,
  blocks: Iterable<StoredBlock> | AsyncIterable<StoredBlock>,
): Promise<void> {
  const id = uuidBytes(image);
  async function* rows(): AsyncGenerator<BinaryRow> {
    for await (const block of blocks) {
      yield [
        id,
        int2(block.level),
        int4(block.row),
        int4(block.col),
        int2(block.band),
        block.cells instanceof Uint8Array ? null : bytesOf(block.cells),
        block.cells instanceof Uint8Array ? block.cells : null,
      ];
    }
  }
  await copyIn(client, 'image_block (image_id, level, "row", col, band, cells, labels)', rows());
}

/** Deletes blocks of an image in a range of rows, so that a range done twice leaves each once. */
export async function removeBlocks(
  client: Client,
  image: string,
  level: number,
  rowFrom: number,
  rowTo: number,
): Promise<void> {
  await client.query(
    `
      DELETE FROM image_block
      WHERE image_id = $1
        AND level = $2
        AND "row" >= $3
        AND "row" < $4
    `,
    [image, level, rowFrom, rowTo],
  );
}

/**
 * Whole amplitudes as floats; 0 is nodata. A plain loop: the mapping form of Float32Array.from is
 * fifteen times slower.
 */
export function amplitudes(a: Uint16Array): Float32Array {
  const out = new Float32Array(a.length);
  for (let i = 0; i < a.length; i++) {
    const value = a[i]!;
    out[i] = value === 0 ? NaN : value;
  }
  return out;
}

/**
 * A rectangle of blocks [row0, row1) x [col0, col1), whole or only `count` cells of each from cell
 * `skip` on.
 */
export interface BlockRequest {
  row0: number;
  row1: number;
  col0: number;
  col1: number;
  skip?: number;
  count?: number;
}

/** All bands of the blocks [row0, row1) x [col0, col1), in one COPY. */
export const readBlocks = (
  client: Client,
  image: string,
  level: number,
  row0: number,
  row1: number,
  col0: number,
  col1: number,
  stored: Stored = "float32",
): Promise<DecodedBlock[]> =>
  readBlockParts(client, image, level, [{ row0, row1, col0, col1 }], stored);
export type DecodedBlock = StoredBlock & { cells: Cells };

/**
 * Blocks and parts of blocks in one COPY. A part comes as a block that has only those cells; no
 * block may be asked for twice.
 */
export async function readBlockParts(
  client: Client,
  image: string,
  level: number,
  requests: readonly BlockRequest[],
  stored: Stored = "float32",
): Promise<DecodedBlock[]> {
  const whole = (n: number) => {
    if (!Number.isInteger(n)) {
      throw new TypeError(`Not a whole number: ${n}`);
    }
    return n;
  };
  const query = requests
    .map((request) => {
      // float32 cells are stored without compression, so that a part of them is all that is
      // fetched.
      const part = (column: string, size: number) =>
        request.count === undefined
          ? column
          : `substring(${column} FROM ${whole(request.skip! * size) + 1} FOR ${whole(request.count * size)})`;
      return `
        SELECT "row", col, band, ${part("cells", stored === "uint16" ? 2 : 4)}, ${part("labels", 1)}
        FROM image_block
        WHERE image_id = '${assertUuid(image)}'
          AND level = ${whole(level)}
          AND "row" >= ${whole(request.row0)}
          AND "row" < ${whole(request.row1)}
          AND col >= ${whole(request.col0)}
          AND col < ${whole(request.col1)}
      `;
    })
    .join(" UNION ALL ");
  return (await copyOut(client, query)).map((r) => {
    const [row, col, band, cells, labels] = r;
    let a: Cells;
    if (cells && stored === "uint16") {
      const whole = new Uint16Array(cells.length / 2);
      bytesOf(whole).set(cells);
      a = amplitudes(whole);
    } else if (cells) {
      a = new Float32Array(cells.length / 4);
      bytesOf(a).set(cells);
    } else {
      a = Uint8Array.from(labels!);
    }
    return {
      level,
      row: row!.readInt32BE(),
      col: col!.readInt32BE(),
      band: band!.readInt16BE(),
      cells: a,
    };
  });
}

/** The cells of a block by its row and column; blocks at the rim are smaller. */
export const blockWindow = (row: number, col: number, width: number, height: number): Window => ({
  row: row * BLOCK,
  col: col * BLOCK,
  width: Math.min(BLOCK, width - col * BLOCK),
  height: Math.min(BLOCK, height - row * BLOCK),
});
