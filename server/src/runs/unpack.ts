import { type Entry } from "../products/plans";
import { receiveBlob, setBlobDetail } from "../db/blobs";
import type { Client } from "../db/pool";
import { type UploadedFiles, openUploaded } from "../products/uploaded";
import type { RangeContext } from "./engine";
import type { Run } from "../db/runs";

/**
 * Streams one file of an archive into a blob of its own, for random access; entry number `seq` of
 * the run. A second try replaces what the first left.
 */
export async function unpackEntry(
  ctx: RangeContext,
  run: Run,
  files: UploadedFiles,
  entry: Entry,
  seq: number,
): Promise<{ blobId: string; write(client: Client): Promise<void> }> {
  const set = await openUploaded(ctx.db, files);
  const bytes = await set.stream(entry.path);
  await ctx.db.withClient((client) =>
    client.query(
      "DELETE FROM blob WHERE purpose IN ('unpacking', 'unpacked') AND detail->>'run' = $1 AND detail->>'seq' = $2",
      [run.id, String(seq)],
    ),
  );
  const watched = (async function* () {
    let n = 0;
    for await (const byte of bytes) {
      ctx.signal.throwIfAborted();
      n += byte.length;
      ctx.progress(Math.min(1, n / Math.max(1, entry.bytes)));
      yield byte;
    }
  })();
  const blob = await receiveBlob(
    ctx.db,
    {
      studyId: run.studyId,
      purpose: "unpacking",
      name: entry.path.split("/").pop()!,
      maxBytes: Math.max(entry.bytes, 1),
      detail: { run: run.id, seq },
    },
    watched,
  );
  return {
    blobId: blob.id,
    write: async (client) => {
      await client.query("UPDATE blob SET purpose = 'unpacked' WHERE id = $1", [blob.id]);
      await setBlobDetail(client, blob.id, { run: run.id, seq });
    },
  };
}
/** Blobs of a run's entries, in their order. */
export const unpackedOf = async (client: Client, runId: string): Promise<string[]> =>
  (
    await client.query<{ id: string }>(
      "SELECT id FROM blob WHERE purpose = 'unpacked' AND detail->>'run' = $1 ORDER BY (detail->>'seq')::int",
      [runId],
    )
  ).rows.map((row) => row.id);

/** Deletes what a run unpacked for itself. */
export const deleteUnpacked = async (client: Client, runId: string): Promise<void> => {
  await client.query(
    "DELETE FROM blob WHERE purpose IN ('unpacking', 'unpacked') AND detail->>'run' = $1",
    [runId],
  );
};
