import { receiveBlob, setBlobDetail } from "../db/blobs";
import type { Client } from "../db/pool";
import { type UploadedFiles, openUploaded } from "../products/uploaded";
import type { RangeContext } from "./engine";
import type { Run } from "./store";

export interface Entry {
  path: string;
  bytes: number;
}

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
): Promise<{ blobId: string; write(c: Client): Promise<void> }> {
  const set = await openUploaded(ctx.db, files);
  const bytes = await set.stream(entry.path);
  await ctx.db.withClient((c) =>
    c.query(
      "DELETE FROM blob WHERE purpose IN ('unpacking', 'unpacked') AND detail->>'run' = $1 AND detail->>'seq' = $2",
      [run.id, String(seq)],
    ),
  );
  const watched = (async function* () {
    let n = 0;
    for await (const b of bytes) {
      ctx.signal.throwIfAborted();
      n += b.length;
      ctx.progress(Math.min(1, n / Math.max(1, entry.bytes)));
      yield b;
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
    write: async (c) => {
      await c.query("UPDATE blob SET purpose = 'unpacked' WHERE id = $1", [blob.id]);
      await setBlobDetail(c, blob.id, { run: run.id, seq });
    },
  };
}
/** Blobs of a run's entries, in their order. */
export const unpackedOf = async (c: Client, runId: string): Promise<string[]> =>
  (
    await c.query<{ id: string }>(
      "SELECT id FROM blob WHERE purpose = 'unpacked' AND detail->>'run' = $1 ORDER BY (detail->>'seq')::int",
      [runId],
    )
  ).rows.map((r) => r.id);
export const deleteUnpacked = async (c: Client, runId: string): Promise<void> => {
  await c.query(
    "DELETE FROM blob WHERE purpose IN ('unpacking', 'unpacked') AND detail->>'run' = $1",
    [runId],
  );
};
