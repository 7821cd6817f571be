import { type Hash, createHash } from "node:crypto";
import { codeOf } from "@hindglance/core/errors";
import { AppError, notFound, tooLarge } from "../errors";
import { type Blob, BlobSource, CHUNK, type SaidOfFile, deleteBlob, findBlob } from "./blobs";
import { copyIn, int4, uuidBytes } from "./copy";
import type { Client, Database } from "./pool";
import { AWAY_MS, tried } from "./transient";

/** A blob that is to be received. */
export interface Arriving {
  id?: string;
  studyId: string | null;
  purpose: string;
  name: string;
  mediaType?: string;
  maxBytes: number;
  detail?: object;
  /** Bytes that are announced and what is said of them, where it comes in pieces. */
  length?: number;
  sent?: SaidOfFile;
}

/** A blob without bytes yet, in the state 'receiving'; its id. @throws AppError 404 */
export async function announceBlob(client: Client, b: Arriving): Promise<string> {
  const { rows } = await client
    .query<{ id: string }>(
      `
        INSERT INTO blob (id, study_id, purpose, name, media_type, detail, length, sent)
        VALUES (coalesce($6, gen_random_uuid()), $1, $2, $3, $4, $5, $7, $8)
        RETURNING id
      `,
      [
        b.studyId,
        b.purpose,
        b.name,
        b.mediaType ?? null,
        b.detail ?? null,
        b.id ?? null,
        b.length ?? null,
        b.sent ?? null,
      ],
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
  await client.query(
    "UPDATE blob SET sha256 = $2, state = 'ready' WHERE id = $1 AND state = 'receiving'",
    [id, sha256],
  );
};

/**
 * Says how many bytes of a blob are stored now.
 * @throws AppError 404 where it is gone, 409 where others have stored bytes of it meanwhile
 */
async function setBlobSize(client: Client, id: string, from: number, size: number): Promise<void> {
  const { rowCount } = await client.query(
    `
      UPDATE blob
      SET size = $3, touched_at = now()
      WHERE id = $1
        AND size = $2
        AND state = 'receiving'
    `,
    [id, from, size],
  );
  if (rowCount === 1) {
    return;
  }
  if (!(await findBlob(client, id))) {
    throw notFound("upload");
  }
  throw new AppError(409, "moved", "Somebody else goes on with this upload");
}

/** Chunks that are stored at a time: a connection is taken once for so many. */
const AT_A_TIME = 4;
/** Bytes that have come are held no longer than this while others follow, milliseconds. */
const HOLD_MS = 10_000;

/** Where a blob stands whose bytes come. */
interface Begun {
  id: string;
  name: string;
  maxBytes: number;
  /** Bytes that are stored already. */
  size?: number;
  /** What was made of those bytes by the checksum; without it they are read again at the end. */
  hash?: Hash | null;
}

/**
 * Takes the bytes of a blob as they come. They are stored in short transactions of a few chunks: no
 * connection is held while the next ones are on their way, and what is stored stays stored.
 */
export class Receiver {
  private readonly id: string;
  private readonly name: string;
  private readonly maxBytes: number;
  /** Bytes that are held, from the chunk boundary `base` on. */
  private parts: Uint8Array[] = [];
  private held = 0;
  private base: number;
  private stored: number;
  private storedAt = Date.now();
  private readonly hash: Hash | null;

  constructor(
    private readonly db: Database,
    { id, name, maxBytes, size = 0, hash = size === 0 ? createHash("sha256") : null }: Begun,
  ) {
    this.id = id;
    this.name = name;
    this.maxBytes = maxBytes;
    this.stored = size;
    this.base = size - (size % CHUNK);
    this.hash = hash;
  }

  /** Bytes that are stored, and the checksum that goes on with the next ones. */
  get standing(): { size: number; hash: Hash | null } {
    return { size: this.stored, hash: this.hash };
  }

  /** Begins: of bytes that are stored already the last, unfilled chunk is taken up again. */
  async begin(): Promise<this> {
    if (this.stored > this.base) {
      const source = new BlobSource(this.db, this.id, this.stored);
      const tail = await source.read(this.base, this.stored - this.base);
      this.parts = [tail];
      this.held = tail.length;
    }
    return this;
  }

  /** @throws AppError when there are more bytes than `maxBytes`, or the blob was deleted */
  async take(piece: Uint8Array): Promise<void> {
    this.hash?.update(piece);
    this.parts.push(piece);
    this.held += piece.length;
    if (this.base + this.held > this.maxBytes) {
      throw tooLarge(this.name, this.maxBytes);
    }
    if (this.held >= AT_A_TIME * CHUNK) {
      await this.store(this.held - (this.held % CHUNK));
    } else if (Date.now() - this.storedAt > HOLD_MS) {
      await this.flush();
    }
  }

  /** Stores all that has come, the beginning of a chunk too. */
  async flush(): Promise<void> {
    if (this.base + this.held > this.stored) {
      await this.store(this.held);
    }
  }

  /** Stores the rest; the blob is ready then. */
  async end(): Promise<Blob> {
    await this.flush();
    const sha256 =
      this.hash?.copy().digest("hex") ?? (await sha256Of(this.db, this.id, this.stored));
    return conclude(this.db, this.id, sha256);
  }

  /** Stores so many of the bytes that are held. */
  private async store(length: number): Promise<void> {
    const all = Buffer.concat(this.parts);
    const key = uuidBytes(this.id);
    const first = this.base / CHUNK;
    const rows = Array.from({ length: Math.ceil(length / CHUNK) }, (_v, k) => [
      key,
      int4(first + k),
      all.subarray(k * CHUNK, Math.min(length, (k + 1) * CHUNK)),
    ]);
    const size = this.base + length;
    const write = async (client: Client) => {
      await setBlobSize(client, this.id, this.stored, size);
      if (this.stored > this.base) {
        await client.query("DELETE FROM blob_chunk WHERE blob_id = $1 AND seq >= $2", [
          this.id,
          first,
        ]);
      }
      await copyIn(client, "blob_chunk (blob_id, seq, bytes)", rows);
    };
    await tried(() => this.db.withTransaction(write), { forMs: AWAY_MS });
    this.stored = size;
    this.storedAt = Date.now();
    // The beginning of a chunk is held until the whole of it is there.
    const kept = length - (length % CHUNK);
    this.parts = kept < all.length ? [all.subarray(kept)] : [];
    this.held = all.length - kept;
    this.base += kept;
  }
}

async function sha256Of(db: Database, id: string, size: number): Promise<string> {
  const hash = createHash("sha256");
  for await (const bytes of new BlobSource(db, id, size).stream()) {
    hash.update(bytes);
  }
  return hash.digest("hex");
}

/** A blob is ready with its last byte. @throws AppError 404 where it is gone */
const conclude = (db: Database, id: string, sha256: string): Promise<Blob> =>
  db.withTransaction(async (client) => {
    await concludeBlob(client, id, sha256);
    const blob = await findBlob(client, id);
    if (!blob) {
      throw notFound("upload");
    }
    return blob;
  });

/** A blob whose last byte is stored while its server died before it said so. @throws AppError 404 */
export const concludeStored = async (db: Database, { id, size }: Blob): Promise<Blob> =>
  conclude(db, id, await sha256Of(db, id, size));

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
  const receiver = new Receiver(db, { id, name: b.name, maxBytes: b.maxBytes });
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
