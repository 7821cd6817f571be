import { createHash } from "node:crypto";
import { looksLikeOrbitFile } from "@hindglance/formats/product/orbitFile";
import { holdUndecided, refuseBlobs } from "../db/arriving";
import {
  type ArchivePart,
  type Blob,
  copyBlob,
  findBlob,
  type listParts,
  nameBlob,
  narrowBlob,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import type { BlobDetail, Inspection } from "../db/inspection";
import type { Client, Database } from "../db/pool";
import { AppError, errorBody } from "../errors";
import { SeveralProducts, inspect, inspectTogether } from "./inspect/inspect";
import { takeOrbit } from "./inspect/orbit";
import type { VectorReader } from "../vectors/tasks";
import type { Submit } from "./plans";
import { readAhead, requireNoneWaits, takeIn } from "./takeIn";
import type { Used } from "./vectors";

/** What looking at files works with. */
export interface Looking {
  db: Database;
  vectors: VectorReader;
  /** Orders a run in the caller's transaction. */
  submit(client: Client, ...order: Parameters<Submit>): ReturnType<Submit>;
  log: { error(e: unknown): void };
}

/** A file that was looked at, what was found in it, and whether it was imported at once. */
export interface Looked {
  blob: Blob;
  detail: BlobDetail | null;
  imported: boolean;
}

/** Files of a folder that have arrived. */
export type Parts = Awaited<ReturnType<typeof listParts>>;

/** The folder that files came in, as the first part of their paths. */
export const folderOf = (parts: Parts): string => parts[0]!.path.split("/")[0]!;

/**
 * One checksum for a folder: SHA-256 over the lines "checksum path" of its files in the order of
 * their paths.
 */
const digestOf = (parts: Parts): string =>
  createHash("sha256")
    .update(parts.map((part) => `${part.sha256}  ${part.path}\n`).join(""))
    .digest("hex");

/** What went wrong with a file, in words that name it. */
export function readable(e: unknown, name: string, log: Looking["log"]): AppError {
  const { body, status, expected } = errorBody(e);
  if (!expected) {
    log.error(e);
    return new AppError(
      422,
      "damaged",
      `${name} cannot be read`,
      "file",
      "Check that the file opens elsewhere.",
    );
  }
  return new AppError(
    status,
    body.code,
    body.message.includes(name) ? body.message : `${name}: ${body.message}`,
    "file",
    body.hint,
  );
}

/**
 * Keeps what was found in an upload, and imports it at once where that was asked for and nobody has
 * to be asked.
 * @throws AppError when it is in the study already, or what it says cannot be used
 */
async function keepOrTake(
  { submit }: Looking,
  client: Client,
  blob: Blob,
  detail: Inspection,
  take: boolean,
  read: Used | null,
): Promise<boolean> {
  await setBlobDetail(client, blob.id, detail);
  const { studyId } = blob;
  if (!take || !studyId) {
    return false;
  }
  const looked = { ...blob, detail };
  await requireNoneWaits(client, studyId, looked);
  const order: Submit = (run) => submit(client, run);
  return takeIn(order, client, studyId, looked, detail, read);
}

/**
 * Looks into a file that has arrived. Two that look at the same one do no harm: the second finds it
 * decided.
 * @returns null where somebody else has decided, or it is gone
 * @throws what is wrong with it
 */
export async function lookAtFile(
  looking: Looking,
  blob: Blob,
  take: boolean,
): Promise<Looked | null> {
  const { db } = looking;
  const isOrbit = looksLikeOrbitFile(blob.name);
  const found = isOrbit ? null : await inspectOrSplit(looking, blob);
  if (found instanceof SeveralProducts) {
    return lookAtProducts(looking, blob, found.folders, take);
  }
  const read = found && take ? await readAhead(looking, blob, found) : null;
  return db.withTransaction(async (client) => {
    if (!(await holdUndecided(client, blob.id))) {
      return null;
    }
    if (!found) {
      return { blob, detail: await takeOrbit(client, blob), imported: true };
    }
    const imported = await keepOrTake(looking, client, blob, found, take, read);
    return { blob, detail: found, imported };
  });
}

/** Keeps files that cannot be used, with the reason. @param name of all of them */
export async function refuse(
  { db, log }: Looking,
  name: string,
  ids: readonly string[],
  error: unknown,
): Promise<void> {
  const { code, message, hint, field } = readable(error, name, log);
  await db.withClient((client) => refuseBlobs(client, ids, { code, message, hint, field }));
}

/** What was found in a file, or which products are in it where there are several. */
async function inspectOrSplit(looking: Looking, blob: Blob): Promise<Inspection | SeveralProducts> {
  try {
    return await inspect(looking, blob);
  } catch (error) {
    if (error instanceof SeveralProducts) {
      return error;
    }
    throw error;
  }
}

/** One folder of an archive as an upload by itself; its checksum is that of a line that names both. */
const partOfArchive = ({ name, sha256 }: Blob, within: string): ArchivePart => ({
  within,
  name: `${name}: ${within.replace(/\/$/, "").split("/").pop()!}`,
  sha256: createHash("sha256").update(`${sha256}  ${within}\n`).digest("hex"),
});

/**
 * Products of one archive: each becomes an upload by itself, and is looked at. The first takes the
 * place of the archive; what is wrong with another is kept with that one.
 */
async function lookAtProducts(
  looking: Looking,
  blob: Blob,
  [first, ...others]: readonly string[],
  take: boolean,
): Promise<Looked | null> {
  const { db } = looking;
  const split = await db.withTransaction(async (client) => {
    if (!(await holdUndecided(client, blob.id))) {
      return null;
    }
    const copies: Blob[] = [];
    for (const within of others) {
      copies.push(await copyBlob(client, blob.id, partOfArchive(blob, within)));
    }
    await narrowBlob(client, blob.id, partOfArchive(blob, first!));
    return { own: (await findBlob(client, blob.id))!, copies };
  });
  if (!split) {
    return null;
  }
  for (const copy of split.copies) {
    try {
      await lookAtFile(looking, copy, take);
    } catch (error) {
      await refuse(looking, copy.name, [copy.id], error);
    }
  }
  return lookAtFile(looking, split.own, take);
}

/** What files that came together are called. */
function nameOf(inspection: Inspection, parts: Parts): string {
  switch (inspection.form) {
    case "stack":
      return inspection.product;
    case "vectors":
      return inspection.name;
    default:
      return folderOf(parts);
  }
}

/** What was found in an image, with the texts beside it. */
function withBeside<T extends Inspection>(found: T, parts: Parts, picture: string | undefined): T {
  if (!picture || found.form !== "raster") {
    return found;
  }
  const kept = [picture, found.mask?.blobId];
  const beside = parts
    .filter(({ id }) => !kept.includes(id))
    .map(({ id, path, sha256, size }) => ({
      ...{ blobId: id, sha256, size },
      name: path.split("/").pop()!,
    }));
  return { ...found, beside };
}

/**
 * The first file of a folder stands for all of them from now on; the image, where files lie beside
 * one. The others belong to it.
 */
async function standFor(
  client: Client,
  parts: Parts,
  inspection: Inspection,
  picture: string | undefined,
): Promise<Blob> {
  const main = picture ?? parts[0]!.id;
  await setBlobPurpose(client, main, "upload");
  await setBlobDetail(client, main, inspection);
  for (const { id } of parts.filter((part) => part.id !== main)) {
    await setBlobPurpose(client, id, "beside");
  }
  if (!picture) {
    await nameBlob(client, main, nameOf(inspection, parts), digestOf(parts));
  }
  return (await findBlob(client, main))!;
}

/**
 * Looks at files of a folder together, once all of them have arrived.
 * @returns null where somebody else has decided, or they are gone
 * @throws what is wrong with them
 */
export async function lookAtFolder(
  looking: Looking,
  parts: Parts,
  take: boolean,
): Promise<Looked | null> {
  const { db } = looking;
  const blobs = parts.map(({ id, path, size, sha256 }) => ({ id, path, size, sha256 }));
  const { blobId: picture, ...seen } = await inspectTogether(looking, blobs);
  const found = withBeside(seen, parts, picture);
  const first = await db.withClient((client) => findBlob(client, parts[0]!.id));
  const read = first && take ? await readAhead(looking, first, found) : null;
  return db.withTransaction(async (client) => {
    for (const { id } of parts) {
      if (!(await holdUndecided(client, id))) {
        return null;
      }
    }
    const blob = await standFor(client, parts, found, picture);
    const imported = await keepOrTake(looking, client, blob, found, take, read);
    return { blob, detail: found, imported };
  });
}
