import type { MadeFile } from "@hindglance/contract/changeMaps";
import type { ImageFile } from "@hindglance/contract/imageFiles";
import { SHEET_FORMATS, TOLD_FORMATS } from "@hindglance/contract/files";
import type { ErrorBody } from "@hindglance/contract/errors";
import { LRUCache } from "lru-cache";
import { FormatError } from "@hindglance/formats/errors";
import type { ByteSource } from "@hindglance/formats/source";
import type { BlobDetail } from "./inspection";
import { assertUuid, copyOut } from "./copy";
import type { Client, Lender } from "./pool";

/**
 * Bytes are kept in rows of this size: large enough for COPY, small enough to fetch one tile of a
 * file.
 */
export const CHUNK = 1 << 20;

/** What the sender of a file that comes in pieces said of it. */
export interface SaidOfFile {
  /** When it was changed last where it was sent from, milliseconds since 1970. */
  modified: number | null;
  /** The folder that it is part of, with its name and the number and bytes of all its files. */
  folder: string | null;
  path: string | null;
  folderName: string | null;
  files: number;
  bytes: number;
  /** The checksum of what was sent, SHA-256 as hexadecimal digits, once it is told. */
  digest?: string;
}

export interface Blob {
  id: string;
  studyId: string | null;
  purpose: string;
  name: string;
  size: number;
  sha256: string | null;
  state: string;
  mediaType: string | null;
  detail: BlobDetail | null;
  createdAt: string;
  /** When bytes of it came last. */
  touchedAt: string;
  /** Bytes that were announced, where it comes in pieces. */
  length: number | null;
  sent: SaidOfFile | null;
  /** Why it was not taken in. */
  refused: ErrorBody | null;
  /** The folder of an archive that it stands for; null: all of it. */
  within: string | null;
}
/** Columns of a file as `Blob` has them. */
export const BLOB_COLUMNS = `
  id, study_id AS "studyId", purpose, name, size::float8 AS size, sha256, state,
  media_type AS "mediaType", detail, created_at AS "createdAt", touched_at AS "touchedAt",
  length::float8 AS length, sent, refused, within
`;

/** A file in the store, or null. */
export const findBlob = async (client: Client, id: string): Promise<Blob | null> =>
  (await client.query<Blob>(`SELECT ${BLOB_COLUMNS} FROM blob WHERE id = $1`, [id])).rows[0] ??
  null;

/** The same, held until the transaction ends. */
export const holdBlob = async (client: Client, id: string): Promise<Blob | null> =>
  (await client.query<Blob>(`SELECT ${BLOB_COLUMNS} FROM blob WHERE id = $1 FOR UPDATE`, [id]))
    .rows[0] ?? null;

/** Files of a study that were looked at and are no scenes yet, the oldest first. */
export const listUploads = async (client: Client, study: string): Promise<Blob[]> =>
  (
    await client.query<Blob>(
      `
        SELECT ${BLOB_COLUMNS}
        FROM blob
        WHERE study_id = $1
          AND purpose = 'upload'
          AND state = 'ready'
          AND detail ->> 'form' IS NOT NULL
          AND refused IS NULL
        ORDER BY created_at
      `,
      [study],
    )
  ).rows;
/** Files of a folder that have arrived, by path. */
export const listParts = async (
  client: Client,
  study: string,
  folder: string,
): Promise<{ id: string; path: string; size: number; sha256: string }[]> =>
  (
    await client.query<{ id: string; path: string; size: number; sha256: string }>(
      `
        SELECT id, detail ->> 'path' AS path, size::float8 AS size, sha256
        FROM blob
        WHERE study_id = $1
          AND purpose = 'part'
          AND state = 'ready'
          AND detail ->> 'folder' = $2
        ORDER BY detail ->> 'path' COLLATE "C"
      `,
      [study, folder],
    )
  ).rows;

/** Says of files of a folder, which came one by one, what one says who sends them in pieces. */
export const saySentTogether = async (
  client: Client,
  study: string,
  folder: string,
  name: string,
): Promise<void> => {
  await client.query(
    `
      UPDATE blob
      SET sent = jsonb_build_object(
          'modified', NULL,
          'folder', $2::text,
          'path', detail ->> 'path',
          'folderName', $3::text,
          'files', whole.files,
          'bytes', whole.bytes
        )
      FROM (
          SELECT count(*) AS files, sum(size) AS bytes
          FROM blob
          WHERE study_id = $1
            AND purpose = 'part'
            AND detail ->> 'folder' = $2
        ) AS whole
      WHERE study_id = $1
        AND purpose = 'part'
        AND detail ->> 'folder' = $2
        AND sent IS NULL
    `,
    [study, folder, name],
  );
};

/** Files by their ids; those that are gone are left out. */
export const findBlobs = async (client: Client, ids: readonly string[]): Promise<Blob[]> =>
  (await client.query<Blob>(`SELECT ${BLOB_COLUMNS} FROM blob WHERE id = ANY ($1)`, [ids])).rows;

/** Deletes files with their bytes. */
export const deleteBlobs = async (client: Client, ids: readonly string[]): Promise<void> => {
  await client.query("DELETE FROM blob WHERE id = ANY ($1)", [ids]);
};

/** Deletes a file with its bytes; whether it was there. */
export const deleteBlob = async (client: Client, id: string): Promise<boolean> =>
  ((await client.query("DELETE FROM blob WHERE id = $1", [id])).rowCount ?? 0) > 0;

/** Keeps what was found in a file. */
export const setBlobDetail = async (client: Client, id: string, detail: object): Promise<void> => {
  await client.query("UPDATE blob SET detail = $2 WHERE id = $1", [id, detail]);
};

/** Says what a file is kept for; false where that is so already, or the file is gone. */
export const setBlobPurpose = async (
  client: Client,
  id: string,
  purpose: string,
): Promise<boolean> => {
  const sql = "UPDATE blob SET purpose = $2 WHERE id = $1 AND purpose <> $2";
  return ((await client.query(sql, [id, purpose])).rowCount ?? 0) > 0;
};

/**
 * Gives a blob the name and checksum of the folder that it stands for; its own checksum stays with
 * what its sender said.
 */
export const nameBlob = async (
  client: Client,
  id: string,
  name: string,
  sha256: string,
): Promise<void> => {
  await client.query(
    `
      UPDATE blob
      SET name = $2,
        sha256 = $3,
        sent = sent || jsonb_build_object('digest', sha256)
      WHERE id = $1
    `,
    [id, name, sha256],
  );
};

/** A folder of an archive, and what an upload that stands for it is called. */
export interface ArchivePart {
  within: string;
  name: string;
  sha256: string;
}

/** Makes an upload stand for one folder of its archive; the archive's own checksum is gone then. */
export const narrowBlob = async (
  client: Client,
  id: string,
  { within, name, sha256 }: ArchivePart,
): Promise<void> => {
  await client.query(
    `
      UPDATE blob
      SET within = $2,
        name = $3,
        sha256 = $4,
        sent = sent - 'digest'
      WHERE id = $1
    `,
    [id, within, name, sha256],
  );
};

/** Copies an upload with its bytes, for another folder of its archive. */
export async function copyBlob(
  client: Client,
  id: string,
  { within, name, sha256 }: ArchivePart,
): Promise<Blob> {
  const { rows } = await client.query<Blob>(
    `
      INSERT INTO blob (
          study_id,
          purpose,
          name,
          size,
          sha256,
          state,
          media_type,
          length,
          within
        )
      SELECT study_id, purpose, $2, size, $3, state, media_type, size, $4
      FROM blob
      WHERE id = $1
      RETURNING ${BLOB_COLUMNS}
    `,
    [id, name, sha256, within],
  );
  const copy = rows[0]!;
  await client.query(
    `
      INSERT INTO blob_chunk (blob_id, seq, bytes)
      SELECT $2, seq, bytes
      FROM blob_chunk
      WHERE blob_id = $1
    `,
    [id, copy.id],
  );
  return copy;
}

/**
 * Uploads in one piece that broke off with their server, once no byte has come for so many hours; how
 * many. Those that can go on stay.
 */
export const sweepBrokenBlobs = async (client: Client, hours: number): Promise<number> =>
  (
    await client.query(
      `
        DELETE FROM blob
        WHERE state = 'receiving'
          AND length IS NULL
          AND purpose IN ('upload', 'file')
          AND touched_at < now() - make_interval(hours => $1)
      `,
      [hours],
    )
  ).rowCount ?? 0;
/** Files whose run was cancelled or died half way, once they are so old. */
export const sweepUnfinishedFiles = async (client: Client, hours: number): Promise<number> =>
  (
    await client.query(
      `
        DELETE FROM blob
        WHERE purpose = 'making'
          AND created_at < now() - make_interval(hours => $1)
      `,
      [hours],
    )
  ).rowCount ?? 0;
/** Uploads that nobody made a scene of for so many days. */
export const sweepForgottenUploads = async (client: Client, days: number): Promise<number> =>
  (
    await client.query(
      `
        DELETE FROM blob
        WHERE purpose IN ('upload', 'part', 'beside', 'unpacking', 'fetching')
          AND touched_at < now() - make_interval(days => $1)
      `,
      [days],
    )
  ).rowCount ?? 0;

/** Random access to a stored blob, a few chunks in memory. */
export class BlobSource implements ByteSource {
  private readonly chunks = new LRUCache<number, Promise<Buffer>>({ max: 24 });
  constructor(
    private readonly db: Lender,
    private readonly id: string,
    readonly size: number,
  ) {
    assertUuid(id);
  }

  private chunk(seq: number): Promise<Buffer> {
    let chunk = this.chunks.get(seq);
    if (!chunk) {
      chunk = this.fetch(seq, seq + 1).then((r) => r[0]!);
      this.chunks.set(seq, chunk);
      chunk.catch(() => this.chunks.delete(seq));
    }
    return chunk;
  }

  private fetch(from: number, to: number): Promise<Buffer[]> {
    return this.db.withClient(async (client) => {
      const rows = await copyOut(
        client,
        `
          SELECT bytes
          FROM blob_chunk
          WHERE blob_id = '${this.id}'
            AND seq >= ${from}
            AND seq < ${to}
          ORDER BY seq
        `,
      );
      if (rows.length !== to - from) {
        throw new FormatError(
          "damaged",
          "A part of the stored file is missing",
          "Import the file again.",
        );
      }
      return rows.map((row) => row[0]!);
    });
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    if (offset < 0 || length < 0 || offset + length > this.size) {
      throw new FormatError(
        "truncated",
        `The file ends at byte ${this.size}, but bytes up to ${offset + length} are needed`,
        "Fetch or copy the file again.",
      );
    }
    if (length === 0) {
      return new Uint8Array(0);
    }
    const first = Math.floor(offset / CHUNK);
    const last = Math.floor((offset + length - 1) / CHUNK);
    const parts =
      last - first > 3
        ? await this.fetch(first, last + 1)
        : await Promise.all(
            Array.from({ length: last - first + 1 }, (_v, i) => this.chunk(first + i)),
          );
    const out = new Uint8Array(length);
    let at = 0;
    parts.forEach((part, i) => {
      const from = i === 0 ? offset - first * CHUNK : 0;
      const to = Math.min(part.length, from + length - at);
      out.set(part.subarray(from, to), at);
      at += to - from;
    });
    return out;
  }

  /** All bytes in order, for downloads. */
  async *stream(): AsyncGenerator<Uint8Array> {
    for (let seq = 0; seq * CHUNK < this.size; seq += 4) {
      for (const bytes of await this.fetch(seq, Math.min(seq + 4, Math.ceil(this.size / CHUNK)))) {
        yield bytes;
      }
    }
  }
}

/**
 * Files that a run keeps for itself, by what they are for: those it fetches, those it unpacks while
 * they come and once they are whole.
 */
export type RunFile = "fetching" | "unpacking" | "unpacked";

/** Deletes files that a run keeps for itself; with `seq` those of one range alone. */
export const deleteRunFiles = async (
  client: Client,
  purposes: readonly RunFile[],
  run: string,
  seq: number | null = null,
): Promise<void> => {
  await client.query(
    `
      DELETE FROM blob
      WHERE purpose = ANY ($1)
        AND detail ->> 'run' = $2
        AND (
          $3::int IS NULL
          OR (detail ->> 'seq')::int = $3
        )
    `,
    [purposes, run, seq],
  );
};

/** Files of a run that are whole, in the order of its ranges. */
export const listRunFiles = async (
  client: Client,
  purpose: RunFile,
  run: string,
): Promise<Blob[]> =>
  (
    await client.query<Blob>(
      `
        SELECT ${BLOB_COLUMNS}
        FROM blob
        WHERE purpose = $1
          AND state = 'ready'
          AND detail ->> 'run' = $2
        ORDER BY (detail ->> 'seq')::int
      `,
      [purpose, run],
    )
  ).rows;

/**
 * Files that were made of a change map, the oldest first; not those that tell what was said or counted
 * of it, where something was since, and no sheets that were set anew.
 */
export const listMapFiles = async (client: Client, changeMap: string): Promise<MadeFile[]> =>
  (
    await client.query<MadeFile>(
      `
        SELECT id, name, size::float8 AS size, detail ->> 'format' AS format
        FROM blob
        WHERE purpose = 'file'
          AND detail ->> 'changeMapId' = $1
          AND NOT (
            detail ->> 'format' = ANY($2)
            AND (
              EXISTS (
                SELECT 1
                FROM verdict_act
                WHERE change_map_id = $1::uuid
                  AND greatest(said_at, turned_at) > blob.created_at
              )
              OR EXISTS (
                SELECT 1
                FROM sample_look l
                  JOIN sample s ON s.id = l.sample_id
                WHERE s.change_map_id = $1::uuid
                  AND l.said_at > blob.created_at
              )
              OR EXISTS (
                SELECT 1
                FROM sample
                WHERE change_map_id = $1::uuid
                  AND sample.created_at > blob.created_at
              )
              OR EXISTS (
                SELECT 1
                FROM change_map
                WHERE id = $1::uuid
                  AND greatest(
                    (doubt ->> 'countedAt')::timestamptz,
                    (depth ->> 'countedAt')::timestamptz,
                    (confirmed ->> 'countedAt')::timestamptz,
                    taken_back_at
                  ) > blob.created_at
              )
            )
          )
          AND NOT (
            detail ->> 'format' = ANY($3)
            AND EXISTS (
              SELECT 1
              FROM change_map m
                LEFT JOIN sheet ON sheet.change_map_id = m.id
              WHERE m.id = $1::uuid
                AND greatest(
                  sheet.updated_at,
                  (m.exposure ->> 'countedAt')::timestamptz
                ) > blob.created_at
            )
          )
        ORDER BY created_at
      `,
      [changeMap, TOLD_FORMATS, [...SHEET_FORMATS, "bundle"]],
    )
  ).rows;

/** Files that were made of scenes of a study, the newest first. */
export const listImageFiles = async (client: Client, study: string): Promise<ImageFile[]> =>
  (
    await client.query<ImageFile>(
      `
        SELECT
          b.id, b.name, b.size::float8 AS size, b.created_at AS "createdAt",
          b.detail ->> 'sceneId' AS "sceneId", b.detail ->> 'grid' AS grid
        FROM blob b
          JOIN scene s ON s.id = (b.detail ->> 'sceneId')::uuid
        WHERE b.study_id = $1
          AND b.purpose = 'file'
          AND b.detail ? 'sceneId'
        ORDER BY b.created_at DESC
      `,
      [study],
    )
  ).rows;

/** Deletes a file that was made of a scene; whether it was there. */
export const deleteImageFile = async (client: Client, id: string): Promise<boolean> =>
  (
    await client.query(
      "DELETE FROM blob WHERE id = $1 AND purpose = 'file' AND detail ? 'sceneId'",
      [id],
    )
  ).rowCount === 1;

/** Deletes the file of a format that was made of a change map. */
export const deleteMapFile = async (
  client: Client,
  changeMap: string,
  format: string,
): Promise<void> => {
  await client.query(
    `
      DELETE FROM blob
      WHERE purpose = 'file'
        AND detail ->> 'changeMapId' = $1
        AND detail ->> 'format' = $2
    `,
    [changeMap, format],
  );
};
