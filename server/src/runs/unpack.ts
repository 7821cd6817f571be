import { type Entry } from "../products/plans";
import { deleteRunFiles, listRunFiles, setBlobDetail, setBlobPurpose } from "../db/blobs";
import { receiveBlob } from "../db/receiving";
import type { Client } from "../db/pool";
import type { UploadedFiles } from "../db/inspection";
import { openUploaded } from "../products/inspect/uploaded";
import type { RangeContext } from "./kind";
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
    deleteRunFiles(client, ["unpacking", "unpacked"], run.id, seq),
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
      await setBlobPurpose(client, blob.id, "unpacked");
      await setBlobDetail(client, blob.id, { run: run.id, seq });
    },
  };
}
/** Blobs of a run's entries, in their order. */
export const unpackedOf = async (client: Client, runId: string): Promise<string[]> =>
  (await listRunFiles(client, "unpacked", runId)).map((blob) => blob.id);

/** Deletes what a run unpacked for itself. */
export const deleteUnpacked = (client: Client, runId: string): Promise<void> =>
  deleteRunFiles(client, ["unpacking", "unpacked"], runId);
