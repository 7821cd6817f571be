import type { ErrorBody } from "@hindglance/contract/errors";
import { BLOB_COLUMNS, type Blob } from "./blobs";
import type { Client } from "./pool";

/**
 * Files of a study that come in pieces and are not decided on yet, or were refused: by when they
 * began.
 */
export const listArriving = async (client: Client, study: string): Promise<Blob[]> =>
  (
    await client.query<Blob>(
      `
        SELECT ${BLOB_COLUMNS}
        FROM blob
        WHERE study_id = $1
          AND length IS NOT NULL
          AND (
            (purpose = 'part' AND sent ->> 'folder' IS NOT NULL)
            OR (purpose = 'upload' AND detail ->> 'form' IS NULL)
          )
        ORDER BY created_at, id
      `,
      [study],
    )
  ).rows;

/** Files that are whole and that nobody has decided on for so many seconds. */
export const listUnsettled = async (client: Client, seconds: number): Promise<Blob[]> =>
  (
    await client.query<Blob>(
      `
        SELECT ${BLOB_COLUMNS}
        FROM blob
        WHERE length = size
          AND purpose IN ('upload', 'part')
          AND detail ->> 'form' IS NULL
          AND refused IS NULL
          AND touched_at < now() - make_interval(secs => $1)
        ORDER BY created_at, id
      `,
      [seconds],
    )
  ).rows;

/** A file that came in one piece is decided on by whoever finds it, should its server die. */
export const leaveToOthers = async (client: Client, id: string): Promise<void> => {
  await client.query("UPDATE blob SET length = size WHERE id = $1", [id]);
};

/** Holds a file that nobody has decided on yet; whether it is one. */
export const holdUndecided = async (client: Client, id: string): Promise<boolean> =>
  (
    await client.query(
      `
        SELECT 1
        FROM blob
        WHERE id = $1
          AND detail ->> 'form' IS NULL
          AND refused IS NULL
        FOR UPDATE
      `,
      [id],
    )
  ).rowCount === 1;

/** Says why files that nobody has decided on are not taken in. */
export const refuseBlobs = async (
  client: Client,
  ids: readonly string[],
  reason: ErrorBody,
): Promise<void> => {
  await client.query(
    `
      UPDATE blob
      SET refused = $2
      WHERE id = ANY ($1)
        AND detail ->> 'form' IS NULL
    `,
    [ids, reason],
  );
};

/**
 * A file whose import failed is as it was when it had come, by itself or in its folder, and refused
 * with the reason.
 */
export const giveBack = async (client: Client, id: string, reason: ErrorBody): Promise<void> => {
  await client.query(
    `
      UPDATE blob
      SET purpose = CASE WHEN sent ->> 'folder' IS NULL THEN 'upload' ELSE 'part' END,
        name = coalesce(substring(sent ->> 'path' FROM '[^/]*$'), name),
        sha256 = coalesce(sent ->> 'digest', sha256),
        length = size,
        detail = CASE
          WHEN sent ->> 'folder' IS NULL THEN NULL
          ELSE jsonb_build_object('folder', sent -> 'folder', 'path', sent -> 'path')
        END,
        refused = $2
      WHERE id = $1
    `,
    [id, reason],
  );
};

/** Files that were refused, by themselves or with their folder, are undecided again; which. */
export const takeBackRefusal = async (client: Client, study: string, id: string): Promise<Blob[]> =>
  (
    await client.query<Blob>(
      `
        UPDATE blob
        SET refused = NULL
        WHERE study_id = $1
          AND (id::text = $2 OR sent ->> 'folder' = $2)
          AND length = size
          AND detail ->> 'form' IS NULL
        RETURNING ${BLOB_COLUMNS}
      `,
      [study, id],
    )
  ).rows;

/** Deletes what came in pieces, a file or a folder, as long as it is no scene; whether it was there. */
export const deleteArriving = async (client: Client, study: string, id: string): Promise<boolean> =>
  ((
    await client.query(
      `
        DELETE FROM blob
        WHERE study_id = $1
          AND length IS NOT NULL
          AND (
            (id::text = $2 AND purpose = 'upload' AND detail ->> 'form' IS NULL)
            OR (purpose = 'part' AND sent ->> 'folder' = $2)
          )
      `,
      [study, id],
    )
  ).rowCount ?? 0) > 0;

/** Deletes one file that comes in pieces, as long as nobody has decided on it. */
export const deleteArrivingFile = async (client: Client, id: string): Promise<void> => {
  await client.query(
    `
      DELETE FROM blob
      WHERE id = $1
        AND length IS NOT NULL
        AND purpose IN ('upload', 'part')
        AND detail ->> 'form' IS NULL
    `,
    [id],
  );
};

/** Keeps the checksum that the sender says of a file. */
export const setBlobDigest = async (client: Client, id: string, digest: string): Promise<void> => {
  await client.query(
    "UPDATE blob SET sent = sent || jsonb_build_object('digest', $2::text) WHERE id = $1",
    [id, digest],
  );
};

/** Uploads of a study are decided on one after the other, until the transaction ends. */
export const holdArrivals = async (client: Client, study: string): Promise<void> => {
  await client.query("SELECT pg_advisory_xact_lock(7310404, hashtext($1))", [study]);
};

/** Another upload of the study with these bytes that was looked at and waits, or null. */
export const findWaiting = async (
  client: Client,
  study: string,
  { id = null, sha256 }: { id?: string | null; sha256: string | null },
): Promise<Blob | null> =>
  (
    await client.query<Blob>(
      `
        SELECT ${BLOB_COLUMNS}
        FROM blob
        WHERE study_id = $2
          AND sha256 = $3
          AND purpose = 'upload'
          AND detail ->> 'form' IS NOT NULL
          AND refused IS NULL
          AND id IS DISTINCT FROM $1::uuid
        ORDER BY created_at
        LIMIT 1
      `,
      [id, study, sha256],
    )
  ).rows[0] ?? null;
