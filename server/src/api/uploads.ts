import { createHash } from "node:crypto";
import type { Request, Router } from "express";
import type { UploadDetail } from "@hindglance/contract/upload";
import { CancelledError } from "@hindglance/core/errors";
import { looksLikeMtl } from "@hindglance/formats/optical/mtl";
import { looksLikeOrbitFile } from "@hindglance/formats/product/orbitFile";
import { looksLikeWorldFile } from "@hindglance/formats/raster/worldFile";
import {
  type Blob,
  deleteBlob,
  findBlob,
  listParts,
  listUploads,
  nameBlob,
  receiveBlob,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import { AppError, errorBody, notFound } from "../errors";
import {
  type Inspection,
  inspect,
  inspectPlaced,
  inspectProduct,
  inspectStack,
  takeOrbit,
} from "../products/inspect";
import { takeIn } from "../products/takeIn";
import { type UploadedFiles, openUploaded } from "../products/uploaded";
import { idOf } from "./http";
import type { Services } from "./services";

type Parts = Awaited<ReturnType<typeof listParts>>;

/**
 * One checksum for a folder: SHA-256 over the lines "checksum path" of its files in the order of
 * their paths.
 */
const digestOf = (parts: Parts): string =>
  createHash("sha256")
    .update(parts.map((part) => `${part.sha256}  ${part.path}\n`).join(""))
    .digest("hex");

/** What went wrong with a file, in words that name it. */
function readable(e: unknown, name: string, log: Services["log"]): AppError {
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

const textIn = (req: Request, name: string): string | null => {
  const value = req.query[name];
  return typeof value === "string" ? value : null;
};

/** The name of a file that is sent, without the folders before it. @throws AppError */
function nameIn(req: Request): string {
  const name = (textIn(req, "name") ?? "").replace(/^.*[/\\]/, "").trim();
  if (!name || name.length > 255 || [...name].some((ch) => ch < " ")) {
    throw new AppError(422, "invalid", "The file needs a name of 1 to 255 characters", "name");
  }
  return name;
}

/**
 * Streams a file into the store.
 * @throws AppError when it is too large or not all of it arrived; nothing is left then
 */
async function receive({ db, config }: Services, req: Request, name: string): Promise<Blob> {
  const length = Number(req.headers["content-length"] ?? NaN);
  if (length > config.maxUploadBytes) {
    const gigabytes = Math.round(config.maxUploadBytes / 2 ** 30);
    throw new AppError(
      413,
      "tooLarge",
      `${name} is larger than ${gigabytes} GB, the most that can be taken`,
      "file",
    );
  }
  const wanted = { studyId: idOf(req), purpose: "upload", name, maxBytes: config.maxUploadBytes };
  const blob = await receiveBlob(db, wanted, req).catch((e) => {
    if (req.destroyed && !req.complete) {
      throw new CancelledError("The upload broke off");
    }
    throw e;
  });
  if (Number.isFinite(length) && blob.size !== length) {
    await db.withClient((client) => deleteBlob(client, blob.id));
    throw new AppError(
      400,
      "incomplete",
      `Only ${blob.size} of ${length} bytes of ${name} arrived`,
      "file",
      "Send the file again.",
    );
  }
  return blob;
}

/** Where a file lies in the folder that it is part of; null for a file by itself. @throws AppError */
function placeIn(req: Request): { folder: string; path: string } | null {
  const folder = textIn(req, "folder");
  const path = textIn(req, "path");
  if (folder === null && path === null) {
    return null;
  }
  const isInside =
    !!path &&
    path.length < 1000 &&
    !path.startsWith("/") &&
    !path.split("/").includes("..") &&
    !path.includes("\\");
  if (!isInside || !folder || !/^[0-9a-f-]{36}$/.test(folder)) {
    throw new AppError(
      422,
      "invalid",
      "A file of a folder needs the folder's id and a path inside it",
      "path",
    );
  }
  return { folder, path };
}

/**
 * Keeps what was found in an upload, and imports it at once where that was asked for and nobody has
 * to be asked.
 */
async function keepOrTake(
  { db, engine }: Services,
  blob: Blob,
  detail: Inspection,
  take: boolean,
): Promise<boolean> {
  return db.withTransaction(async (client) => {
    await setBlobDetail(client, blob.id, detail);
    const found: UploadDetail = detail;
    const submit = engine.submit.bind(engine, client);
    return take && blob.studyId
      ? takeIn({ db, submit }, client, blob.studyId, { ...blob, detail }, found)
      : false;
  });
}

/** Looks into a file that has arrived. @throws AppError; the file is not kept then */
async function look(services: Services, blob: Blob, take: boolean) {
  const { db, log } = services;
  try {
    if (looksLikeOrbitFile(blob.name)) {
      const taken = await takeOrbit(db, blob);
      await db.withClient((client) => deleteBlob(client, blob.id));
      return { ...blob, detail: taken, imported: true };
    }
    const detail = await inspect(db, blob);
    return { ...blob, detail, imported: await keepOrTake(services, blob, detail, take) };
  } catch (error) {
    await db.withClient((client) => deleteBlob(client, blob.id));
    throw readable(error, blob.name, log);
  }
}

/** What files that belong together are. */
async function inspectParts({ db }: Services, parts: Parts): Promise<Inspection> {
  const blobs = parts.map(({ id, path, size }) => ({ id, path, size }));
  const files: UploadedFiles = { zip: false, blobs };
  if (parts.some((part) => looksLikeMtl(part.path))) {
    return inspectStack(db, files.blobs);
  }
  if (parts.some((part) => looksLikeWorldFile(part.path))) {
    return inspectPlaced(db, files.blobs);
  }
  return inspectProduct(await openUploaded(db, files), files);
}

/**
 * The first file of a folder stands for all of them from now on; of a picture with its world file
 * only the picture is kept.
 */
async function standFor({ db }: Services, parts: Parts, inspection: Inspection): Promise<Blob> {
  const isPlaced = inspection.form === "raster";
  const main = isPlaced ? String(inspection.blobId) : parts[0]!.id;
  const folder = parts[0]!.path.split("/")[0]!;
  return db.withTransaction(async (client) => {
    await setBlobPurpose(client, main, "upload");
    await setBlobDetail(client, main, inspection);
    if (isPlaced) {
      for (const part of parts.filter(({ id }) => id !== main)) {
        await deleteBlob(client, part.id);
      }
    } else {
      const name = inspection.form === "stack" ? String(inspection.product) : folder;
      await nameBlob(client, main, name, digestOf(parts));
    }
    return (await findBlob(client, main))!;
  });
}

/** Routes of files on their way in: sent, looked at, listed, left out. */
export function uploadRoutes(api: Router, services: Services): void {
  const { db, log } = services;
  /** The body is the file; its name comes in the query. `take=1` imports it where it can be. */
  api.post("/studies/:id/uploads", async (req, res) => {
    const name = nameIn(req);
    const place = placeIn(req);
    const blob = await receive(services, req, name);
    // Files of a folder say nothing by themselves; they are looked at together when the last one is
    // there.
    if (place) {
      await db.withTransaction(async (client) => {
        await setBlobPurpose(client, blob.id, "part");
        await setBlobDetail(client, blob.id, place);
      });
      res.status(201).json({ ...blob, purpose: "part" });
      return;
    }
    res.status(201).json(await look(services, blob, req.query.take === "1"));
  });
  /**
   * Files that belong together and have all arrived: a product's folder, or the bands of an optical
   * scene with their metadata text; looked at as one.
   */
  api.post("/studies/:id/folders/:folder", async (req, res) => {
    const parts = await db.withClient((client) => listParts(client, idOf(req), req.params.folder));
    if (parts.length === 0) {
      throw notFound("folder");
    }
    try {
      const detail = await inspectParts(services, parts);
      const first = await standFor(services, parts, detail);
      const imported = await keepOrTake(services, first, detail, req.query.take === "1");
      res.status(201).json({ ...first, detail, imported });
    } catch (error) {
      await db.withTransaction(async (client) => {
        for (const part of parts) {
          await deleteBlob(client, part.id);
        }
      });
      throw readable(error, parts[0]!.path.split("/")[0]!, log);
    }
  });
  /** Looks again at a file whose looking at was broken off with the server. */
  api.post("/uploads/:id/look", async (req, res) => {
    const blob = await db.withClient((client) => findBlob(client, idOf(req)));
    if (blob?.purpose !== "upload" || blob.state !== "ready") {
      throw notFound("upload");
    }
    res.json(await look(services, blob, true));
  });
  api.get("/studies/:id/uploads", async (req, res) => {
    res.json(await db.withClient((client) => listUploads(client, idOf(req))));
  });
  api.delete("/uploads/:id", async (req, res) => {
    const id = idOf(req);
    const blob = await db.withClient((client) => findBlob(client, id));
    if (blob?.purpose !== "upload") {
      throw notFound("upload");
    }
    await db.withClient((client) => deleteBlob(client, id));
    res.status(204).end();
  });
}
