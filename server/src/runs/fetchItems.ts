import { type ArchiveKind, archiveFromEnv } from "../archive/archive";
import { archiveError } from "../archive/transport";
import { readConfig } from "../config";
import {
  type Blob,
  deleteBlob,
  findBlob,
  receiveBlob,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import type { Client } from "../db/pool";
import { addToLedger, takeElevation } from "../db/studies";
import { AppError } from "../errors";
import { fromRasters, sceneFrom } from "../products/createScene";
import { inspect, storeOrbit } from "../products/inspect";
import type { RunKind } from "./engine";

export interface FetchParams {
  kind: ArchiveKind;
  items: { collection: string; id: string; bytes: number | null }[];
}

const blobsOf = async (c: Client, runId: string): Promise<Blob[]> => {
  const ids = (
    await c.query<{ id: string }>(
      "SELECT id FROM blob WHERE purpose = 'fetching' AND state = 'ready' AND detail->>'run' = $1 ORDER BY (detail->>'seq')::int",
      [runId],
    )
  ).rows;
  return Promise.all(ids.map(async (r) => (await findBlob(c, r.id))!));
};
const archive = () => {
  const a = archiveFromEnv();
  if (!a) {
    throw new AppError(
      503,
      "noArchive",
      "This worker knows of no archive",
      undefined,
      "Start it with ARCHIVE_URL.",
    );
  }
  return a;
};

/**
 * Fetches items of the archive, checks them while they come and when they are whole, and takes them
 * in like uploads: one scene a product, one scene of all elevation tiles.
 */
export const fetchItems: RunKind<FetchParams> = {
  phases: () => [{ name: "Fetching", weight: 1 }],
  ranges: async (_phase, p) => p.items.map((i) => i.bytes ?? 1e7),
  async work(_phase, seq, p, ctx, run) {
    const a = archive();
    const wanted = p.items[seq]!;
    const item = await a.item(wanted.collection, wanted.id);
    const { asset } = item;
    await ctx.db.withClient((c) =>
      c.query(
        "DELETE FROM blob WHERE purpose = 'fetching' AND detail->>'run' = $1 AND detail->>'seq' = $2",
        [run.id, String(seq)],
      ),
    );
    const max = readConfig().maxUploadBytes;
    const bytes = a.file(item, max, ctx.signal);
    const watched = (async function* () {
      let n = 0;
      for await (const b of bytes) {
        n += b.length;
        if (asset.bytes) {
          ctx.progress(Math.min(1, n / asset.bytes));
        }
        yield b;
      }
    })();
    const blob = await receiveBlob(
      ctx.db,
      {
        studyId: run.studyId,
        purpose: "fetching",
        name: asset.fileName,
        maxBytes: max,
        detail: { run: run.id, seq },
      },
      watched,
    );
    try {
      if (asset.sha256 && asset.sha256 !== blob.sha256) {
        throw archiveError(
          `The checksum of ${asset.fileName} is not the one that the archive lists: it was damaged on the way, or is another file`,
        );
      }
      const found = p.kind === "orbit" ? {} : await inspect(ctx.db, blob);
      return {
        write: async (c) => {
          await setBlobDetail(c, blob.id, {
            ...found,
            run: run.id,
            seq,
            archive: {
              collection: item.collection,
              id: item.id,
              title: item.title,
              from: item.from,
            },
          });
        },
      };
    } catch (e) {
      await ctx.db.withClient((c) => deleteBlob(c, blob.id));
      throw e;
    }
  },
  async finish(p, _results, c, run, { db, submit }) {
    const blobs = await blobsOf(c, run.id);
    const studyId = run.studyId!;
    const sceneIds: string[] = [];
    const from = (b: Blob) => ({ run: undefined, seq: undefined, archive: b.detail!.archive });
    const titleOf = (b: Blob) => (b.detail!.archive as { title: string }).title;
    if (p.kind === "orbit") {
      for (const b of blobs) {
        await storeOrbit(c, db, b);
        await deleteBlob(c, b.id);
      }
    } else {
      for (const b of blobs) {
        await setBlobPurpose(c, b.id, "upload");
      }
      if (p.kind === "elevation") {
        sceneIds.push(
          (
            await fromRasters({ db, submit }, c, studyId, blobs, {
              kind: "elevation",
              name: blobs.length > 1 ? "Elevation" : titleOf(blobs[0]!),
              detail: { ...from(blobs[0]!), archive: blobs.map((b) => b.detail!.archive) },
            })
          ).scene.id,
        );
      } else {
        for (const b of blobs) {
          sceneIds.push(
            (
              await sceneFrom({ db, submit }, c, studyId, b, {
                kind: "radar",
                name: titleOf(b),
                detail: from(b),
              })
            ).scene.id,
          );
        }
      }
    }
    if (p.kind === "elevation") {
      await takeElevation(c, studyId, sceneIds[0]!);
    }
    await addToLedger(c, studyId, "Fetched from the archive", {
      archive: process.env.ARCHIVE_URL,
      items: blobs.map((b) => ({
        ...(b.detail!.archive as object),
        file: b.name,
        sha256: b.sha256,
      })),
    });
    return { sceneIds: sceneIds.join() };
  },
  async discard(_p, c, run) {
    await c.query("DELETE FROM blob WHERE purpose = 'fetching' AND detail->>'run' = $1", [run.id]);
  },
};
