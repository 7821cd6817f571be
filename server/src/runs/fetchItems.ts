import { readHere } from "../vectors/work";
import { archiveFromEnv } from "../archive/archive";
import type { ArchiveItem, ArchiveKind } from "../archive/item";
import { archiveError } from "../archive/transport";
import { readConfig } from "../config";
import {
  type Blob,
  deleteBlob,
  setBlobDetail,
  setBlobPurpose,
  deleteRunFiles,
  listRunFiles,
} from "../db/blobs";
import { receiveBlob } from "../db/receiving";
import { addToLedger, takeElevation } from "../db/studies";
import type { BlobDetail, FromArchive } from "../db/inspection";
import type { Client, Database } from "../db/pool";
import { AppError } from "../errors";
import { fromRasters } from "../products/scenes/fromRasters";
import { sceneFrom } from "../products/scenes/sceneFrom";
import { inspect } from "../products/inspect/inspect";
import { storeOrbit } from "../products/inspect/orbit";
import type { SceneServices } from "../products/scenes/said";
import type { RangeContext, RunKind } from "./kind";

export interface FetchParams {
  kind: ArchiveKind;
  items: { collection: string; id: string; bytes: number | null }[];
}

/** @throws AppError where this worker was started without an archive */
function requireArchive() {
  const archive = archiveFromEnv();
  if (!archive) {
    throw new AppError(
      503,
      "noArchive",
      "This worker knows of no archive",
      undefined,
      "Start it with ARCHIVE_URL.",
    );
  }
  return archive;
}

/** Bytes as they come, with the number of those that have come. */
async function* watched(
  bytes: AsyncIterable<Uint8Array>,
  onBytes: (count: number) => void,
): AsyncGenerator<Uint8Array> {
  let count = 0;
  for await (const chunk of bytes) {
    count += chunk.length;
    onBytes(count);
    yield chunk;
  }
}

/** Bytes that a file is taken to have where the archive does not say. */
const USUAL_BYTES = 1e7;

/** Streams an item's file into the store. @throws AppError where it is not the file that was listed */
async function receiveItem(
  { asset }: ArchiveItem,
  bytes: AsyncIterable<Uint8Array>,
  ctx: RangeContext,
  run: { id: string; studyId: string | null },
  seq: number,
): Promise<Blob> {
  const blob = await receiveBlob(
    ctx.db,
    {
      studyId: run.studyId,
      purpose: "fetching",
      name: asset.fileName,
      maxBytes: readConfig().maxUploadBytes,
      detail: { run: run.id, seq },
    },
    watched(bytes, (count) => {
      if (asset.bytes) {
        ctx.progress(Math.min(1, count / asset.bytes));
      }
    }),
  );
  if (asset.sha256 && asset.sha256 !== blob.sha256) {
    await ctx.db.withClient((client) => deleteBlob(client, blob.id));
    throw archiveError(
      `The checksum of ${asset.fileName} is not the one that the archive lists: it was damaged on the way, or is another file`,
    );
  }
  return blob;
}

/** What was found in a fetched file; it is not kept where it cannot be used. */
async function inspectFetched(db: Database, blob: Blob, kind: ArchiveKind): Promise<BlobDetail> {
  if (kind === "orbit") {
    return {};
  }
  try {
    return await inspect({ db, vectors: readHere }, blob);
  } catch (error) {
    await db.withClient((client) => deleteBlob(client, blob.id));
    throw error;
  }
}

/** The item that a fetched file is of. */
const itemOf = ({ detail }: Blob): FromArchive => detail!.archive!;

/** What a scene keeps of where its file is from, without the marks of the run that fetched it. */
const originOf = (archive: FromArchive | FromArchive[]) => ({
  run: undefined,
  seq: undefined,
  archive,
});

/** Where the files that were fetched go. */
interface Taking {
  client: Client;
  services: SceneServices;
  studyId: string;
  blobs: readonly Blob[];
}

async function takeOrbits({ client, blobs }: Taking): Promise<string[]> {
  for (const blob of blobs) {
    await storeOrbit(client, blob);
    await deleteBlob(client, blob.id);
  }
  return [];
}

/** All tiles become one scene of elevation, which the study uses. */
async function takeElevationTiles(taking: Taking): Promise<string[]> {
  const { client, services, studyId, blobs } = taking;
  const items = blobs.map(itemOf);
  const { scene } = await fromRasters(services, client, studyId, blobs, {
    kind: "elevation",
    name: items.length > 1 ? "Elevation" : items[0]!.title,
    detail: originOf(items),
  });
  await takeElevation(client, studyId, scene.id);
  return [scene.id];
}

/** Every product becomes a scene. */
async function takeProducts({ client, services, studyId, blobs }: Taking): Promise<string[]> {
  const ids: string[] = [];
  for (const blob of blobs) {
    const item = itemOf(blob);
    const { scene } = await sceneFrom(services, client, studyId, blob, {
      kind: "radar",
      name: item.title,
      detail: originOf(item),
    });
    ids.push(scene.id);
  }
  return ids;
}

const TAKE: Record<ArchiveKind, (taking: Taking) => Promise<string[]>> = {
  orbit: takeOrbits,
  elevation: takeElevationTiles,
  radar: takeProducts,
};

/**
 * Fetches items of the archive, checks them while they come and when they are whole, and takes them
 * in like uploads: one scene a product, one scene of all elevation tiles.
 */
export const fetchItems: RunKind<FetchParams> = {
  phases: () => [{ name: "Fetching", weight: 1 }],
  ranges: async (_phase, params) => params.items.map(({ bytes }) => bytes ?? USUAL_BYTES),
  async work(_phase, seq, params, ctx, run) {
    const archive = requireArchive();
    const wanted = params.items[seq]!;
    const item = await archive.item(wanted.collection, wanted.id);
    await ctx.db.withClient((client) => deleteRunFiles(client, ["fetching"], run.id, seq));
    const bytes = archive.file(item, readConfig().maxUploadBytes, ctx.signal);
    const blob = await receiveItem(item, bytes, ctx, run, seq);
    const found = await inspectFetched(ctx.db, blob, params.kind);
    const { collection, id, title, from } = item;
    return {
      write: (client) =>
        setBlobDetail(client, blob.id, {
          ...found,
          ...{ run: run.id, seq },
          archive: { collection, id, title, from },
        }),
    };
  },
  async finish(params, _results, client, run, services) {
    const blobs = await listRunFiles(client, "fetching", run.id);
    const studyId = run.studyId!;
    for (const blob of blobs) {
      await setBlobPurpose(client, blob.id, "upload");
    }
    const sceneIds = await TAKE[params.kind]({ client, services, studyId, blobs });
    await addToLedger(client, studyId, "Fetched from the archive", {
      archive: process.env.ARCHIVE_URL,
      items: blobs.map((blob) => ({ ...itemOf(blob), file: blob.name, sha256: blob.sha256 })),
    });
    return { sceneIds: sceneIds.join() };
  },
  async discard(_params, client, run) {
    await deleteRunFiles(client, ["fetching"], run.id);
  },
};
