import { type ArchiveKind, archiveFromEnv } from "../archive/archive";
import { archiveError } from "../archive/transport";
import { readConfig } from "../config";
import {
  type Blob,
  deleteBlob,
  receiveBlob,
  setBlobDetail,
  setBlobPurpose,
  deleteRunFiles,
  listRunFiles,
} from "../db/blobs";
import { addToLedger, takeElevation } from "../db/studies";
import { AppError } from "../errors";
import { fromRasters, sceneFrom } from "../products/createScene";
import { inspect, storeOrbit } from "../products/inspect";
import type { RunKind } from "./engine";

export interface FetchParams {
  kind: ArchiveKind;
  items: { collection: string; id: string; bytes: number | null }[];
}

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
  ranges: async (_phase, params) => params.items.map((item) => item.bytes ?? 1e7),
  async work(_phase, seq, params, ctx, run) {
    const a = archive();
    const wanted = params.items[seq]!;
    const item = await a.item(wanted.collection, wanted.id);
    const { asset } = item;
    await ctx.db.withClient((client) => deleteRunFiles(client, ["fetching"], run.id, seq));
    const max = readConfig().maxUploadBytes;
    const bytes = a.file(item, max, ctx.signal);
    const watched = (async function* () {
      let n = 0;
      for await (const byte of bytes) {
        n += byte.length;
        if (asset.bytes) {
          ctx.progress(Math.min(1, n / asset.bytes));
        }
        yield byte;
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
      const found = params.kind === "orbit" ? {} : await inspect(ctx.db, blob);
      return {
        write: async (client) => {
          await setBlobDetail(client, blob.id, {
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
    } catch (error) {
      await ctx.db.withClient((client) => deleteBlob(client, blob.id));
      throw error;
    }
  },
  async finish(params, _results, client, run, { db, submit }) {
    const blobs = await listRunFiles(client, "fetching", run.id);
    const studyId = run.studyId!;
    const sceneIds: string[] = [];
    const from = (blob: Blob) => ({
      run: undefined,
      seq: undefined,
      archive: blob.detail!.archive,
    });
    const titleOf = (blob: Blob) => (blob.detail!.archive as { title: string }).title;
    if (params.kind === "orbit") {
      for (const blob of blobs) {
        await storeOrbit(client, db, blob);
        await deleteBlob(client, blob.id);
      }
    } else {
      for (const blob of blobs) {
        await setBlobPurpose(client, blob.id, "upload");
      }
      if (params.kind === "elevation") {
        sceneIds.push(
          (
            await fromRasters({ db, submit }, client, studyId, blobs, {
              kind: "elevation",
              name: blobs.length > 1 ? "Elevation" : titleOf(blobs[0]!),
              detail: { ...from(blobs[0]!), archive: blobs.map((blob) => blob.detail!.archive) },
            })
          ).scene.id,
        );
      } else {
        for (const blob of blobs) {
          sceneIds.push(
            (
              await sceneFrom({ db, submit }, client, studyId, blob, {
                kind: "radar",
                name: titleOf(blob),
                detail: from(blob),
              })
            ).scene.id,
          );
        }
      }
    }
    if (params.kind === "elevation") {
      await takeElevation(client, studyId, sceneIds[0]!);
    }
    await addToLedger(client, studyId, "Fetched from the archive", {
      archive: process.env.ARCHIVE_URL,
      items: blobs.map((blob) => ({
        ...(blob.detail!.archive as object),
        file: blob.name,
        sha256: blob.sha256,
      })),
    });
    return { sceneIds: sceneIds.join() };
  },
  async discard(_p, client, run) {
    await deleteRunFiles(client, ["fetching"], run.id);
  },
};
