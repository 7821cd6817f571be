import { type Hash, createHash } from "node:crypto";
import { codeOf } from "@hindglance/core/errors";
import { AppError, notFound } from "../errors";
import { type Blob, CHUNK, deleteBlob, findBlob } from "./blobs";
import { copyIn, int4, uuidBytes } from "./copy";
import type { Client, Database } from "./pool";

/** A blob that is to be received. */
export interface Arriving {
  id?: string;
  studyId: string | null;
  purpose: string;
  name: string;
  mediaType?: string;
  maxBytes: number;
  detail?: object;
}

/** A blob without bytes yet, in the state 'receiving'; its id. @throws AppError 404 */
export async function announceBlob(client: Client, b: Arriving): Promise<string> {
  const { rows } = await client
    .query<{ id: string }>(
      `
        INSERT INTO blob (id, study_id, purpose, name, media_type, detail)
        VALUES (coalesce($6, gen_random_uuid()), $1, $2, $3, $4, $5)
        RETURNING id
      `,
      [b.studyId, b.purpose, b.name, b.mediaType ?? null, b.detail ?? null, b.id ?? null],
    )
    .catch((e: unknown) => {
      if (codeOf(e) === "23503") {
        throw notFound("study");
      }
      throw e;
    });
  return rows[0]!.id;
}

const concludeBlob = async (client: Client, id: string, sha256: string): Promise<void> => {
  await client.query("UPDATE blob SET sha256 = $2, state = 'ready' WHERE id = $1", [id, sha256]);
};

/** Says how many bytes of a blob are stored; whether it is there still. */
const setBlobSize = async (client: Client, id: string, size: number): Promise<boolean> =>
  (await client.query("UPDATE blob SET size = $2, touched_at = now() WHERE id = $1", [id, size]))
    .rowCount === 1;

/** Chunks that are stored at a time: a connection is taken once for so many. */
const AT_A_TIME = 4;

/**
 * Takes the bytes of a blob as they come. They are stored in short transactions of a few chunks: no
 * connection is held while the next ones are on their way, and what is stored stays stored.
 */
export class Receiver {
  private parts: Uint8Array[] = [];
  private held = 0;
  private stored = 0;
  private readonly hash: Hash = createHash("sha256");

  constructor(
    private readonly db: Database,
    private readonly id: string,
    private readonly name: string,
    private readonly maxBytes: number,
  ) {}

  /** @throws AppError when there are more bytes than `maxBytes`, or the blob was deleted */
  async take(piece: Uint8Array): Promise<void> {
    this.hash.update(piece);
    this.parts.push(piece);
    this.held += piece.length;
    if (this.stored + this.held > this.maxBytes) {
      throw new AppError(
        413,
        "tooLarge",
        `${this.name} is larger than ${Math.round(this.maxBytes / 2 ** 30)} GB, the most that can be taken`,
        "file",
      );
    }
    if (this.held >= AT_A_TIME * CHUNK) {
      await this.store(this.held - (this.held % CHUNK));
    }
  }

  /** Stores the rest; the blob is ready then. */
  async end(): Promise<Blob> {
    await this.store(this.held);
    return this.db.withTransaction(async (client) => {
      await concludeBlob(client, this.id, this.hash.digest("hex"));
      const blob = await findBlob(client, this.id);
      if (!blob) {
        throw notFound("upload");
      }
      return blob;
    });
  }

  /** Stores so many of the bytes that are held: whole chunks, but for the last ones. */
  private async store(length: number): Promise<void> {
    if (length === 0) {
      return;
    }
    const all = Buffer.concat(this.parts);
    this.parts = length < all.length ? [all.subarray(length)] : [];
    this.held = all.length - length;
    const key = uuidBytes(this.id);
    const first = this.stored / CHUNK;
    const rows = Array.from({ length: Math.ceil(length / CHUNK) }, (_v, k) => [
      key,
      int4(first + k),
      all.subarray(k * CHUNK, Math.min(length, (k + 1) * CHUNK)),
    ]);
    const size = this.stored + length;
    await this.db.withTransaction(async (client) => {
      if (!(await setBlobSize(client, this.id, size))) {
        throw notFound("upload");
      }
      await copyIn(client, "blob_chunk (blob_id, seq, bytes)", rows);
    });
    this.stored = size;
  }
}

/**
 * Streams bytes into the store. Nothing larger than a few chunks is held; the blob becomes 'ready'
 * only with its last byte.
 * @throws AppError when it grows past `maxBytes`; nothing is left then
 */
export async function receiveBlob(
  db: Database,
  b: Arriving,
  bytes: AsyncIterable<Uint8Array>,
): Promise<Blob> {
  const id = await db.withClient((client) => announceBlob(client, b));
  const receiver = new Receiver(db, id, b.name, b.maxBytes);
  try {
    for await (const piece of bytes) {
      await receiver.take(piece);
    }
    return await receiver.end();
  } catch (error) {
    await db.withClient((client) => deleteBlob(client, id)).catch(() => {});
    throw error;
  }
}
