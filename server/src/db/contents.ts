import { createHash } from "node:crypto";
import { canonicalJson } from "@hindglance/core/graph/node";
import { BLOCK } from "@hindglance/core/grid/grid";
import { type DecodedBlock, readBlocks } from "./blocks";
import { findImage } from "./images";
import type { Client, Database } from "./pool";

/** Bits of a number without its sign, of infinity, and of the one nodata that is counted. */
const UNSIGNED = 0x7fffffff;
const INFINITY = 0x7f800000;
const NODATA = 0x7fc00000;

/** Bytes of the cells of a block; every kind of "no number" is the same. */
function bytesOf({ cells }: DecodedBlock): Uint8Array {
  if (cells instanceof Uint8Array) {
    return cells;
  }
  const bits = new Uint32Array(cells.slice().buffer);
  for (let i = 0; i < bits.length; i++) {
    if ((bits[i]! & UNSIGNED) > INFINITY) {
      bits[i] = NODATA;
    }
  }
  return new Uint8Array(bits.buffer);
}

/** Frames of products and pictures get a name of their own at every import. */
const FRAME = /(SENSOR|PICTURE):[0-9a-f-]{36}/g;

const inOrder = (one: DecodedBlock, other: DecodedBlock): number =>
  one.row - other.row || one.col - other.col || one.band - other.band;

/**
 * What an image holds, as one number: SHA-256 over what is known of it and over its cells at full
 * resolution, in rows of blocks. It does not depend on how cells are stored. @throws Error where the
 * image is not there
 */
export async function contentOf(
  db: Database,
  image: string,
  tell: { signal: AbortSignal; progress(share: number): void },
): Promise<string> {
  const row = await db.withClient((client) => findImage(client, image));
  if (!row) {
    throw new Error("An image is not there any more");
  }
  const { stored, ...info } = row.info;
  const hash = createHash("sha256");
  hash.update(canonicalJson(info).replace(FRAME, "$1"));
  const rows = Math.ceil(info.grid.height / BLOCK);
  const cols = Math.ceil(info.grid.width / BLOCK);
  const read = (k: number) => (client: Client) =>
    readBlocks(client, image, 0, k, k + 1, 0, cols, stored);
  for (let k = 0; k < rows; k++) {
    tell.signal.throwIfAborted();
    for (const block of (await db.withClient(read(k))).sort(inOrder)) {
      hash.update(`${block.row}/${block.col}/${block.band}:`);
      hash.update(bytesOf(block));
    }
    tell.progress((k + 1) / rows);
  }
  return hash.digest("hex");
}
