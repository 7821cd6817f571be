import { createHash } from "node:crypto";
import type { Request, Router } from "express";
import {
  type TakenUpload,
  type Upload,
  uploadDetail,
  uploadRoutes as routes,
} from "@hindglance/contract/upload";
import { CancelledError } from "@hindglance/core/errors";
import { looksLikeOrbitFile } from "@hindglance/formats/product/orbitFile";
import {
  type Blob,
  deleteBlob,
  findBlob,
  listParts,
  listUploads,
  nameBlob,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import { receiveBlob } from "../db/receiving";
import type { BlobDetail, Inspection } from "../db/inspection";
import { AppError, errorBody, notFound } from "../errors";
import { inspect, inspectTogether } from "../products/inspect/inspect";
import { takeOrbit } from "../products/inspect/orbit";
import { takeIn } from "../products/takeIn";
import { idOf } from "./http";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";

type SendQuery = Parameters<Work<typeof routes.send>>[0]["query"];
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
function placeIn({ folder, path }: SendQuery): { folder: string; path: string } | null {
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

/** A file as the page sees it. */
function viewOf({ id, name, size, sha256, createdAt }: Blob, found: BlobDetail | null): Upload {
  const detail = found?.form ? uploadDetail.cast(found, { stripUnknown: true }) : null;
  return { id, name, size, sha256, createdAt: new Date(createdAt).toISOString(), detail };
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
    const submit = engine.submit.bind(engine, client);
    return take && blob.studyId
      ? takeIn({ db, submit }, client, blob.studyId, { ...blob, detail }, detail)
      : false;
  });
}

/** Looks into a file that has arrived. @throws AppError; the file is not kept then */
async function look(services: Services, blob: Blob, take: boolean): Promise<TakenUpload> {
  const { db, log } = services;
  try {
    if (looksLikeOrbitFile(blob.name)) {
      const taken = await takeOrbit(db, blob);
      await db.withClient((client) => deleteBlob(client, blob.id));
      return { ...viewOf(blob, taken), imported: true };
    }
    const detail = await inspect(db, blob);
    const imported = await keepOrTake(services, blob, detail, take);
    return { ...viewOf(blob, detail), imported };
  } catch (error) {
    await db.withClient((client) => deleteBlob(client, blob.id));
    throw readable(error, blob.name, log);
  }
}

/**
 * The first file of a folder stands for all of them from now on; of a picture with its world file
 * only the picture is kept.
 */
async function standFor(
  { db }: Services,
  parts: Parts,
  inspection: Inspection,
  picture: string | undefined,
): Promise<Blob> {
  const main = picture ?? parts[0]!.id;
  const folder = parts[0]!.path.split("/")[0]!;
  return db.withTransaction(async (client) => {
    await setBlobPurpose(client, main, "upload");
    await setBlobDetail(client, main, inspection);
    if (picture) {
      for (const part of parts.filter(({ id }) => id !== main)) {
        await deleteBlob(client, part.id);
      }
    } else {
      const name = inspection.form === "stack" ? inspection.product : folder;
      await nameBlob(client, main, name, digestOf(parts));
    }
    return (await findBlob(client, main))!;
  });
}

/** Takes a file into the store and looks into it. */
const send =
  (services: Services): Work<typeof routes.send> =>
  async ({ query, req }) => {
    const place = placeIn(query);
    const blob = await receive(services, req, query.name);
    if (!place) {
      return new Reply(201, await look(services, blob, query.take));
    }
    // Files of a folder say nothing by themselves; they are looked at together when the last one is
    // there.
    await services.db.withTransaction(async (client) => {
      await setBlobPurpose(client, blob.id, "part");
      await setBlobDetail(client, blob.id, place);
    });
    return new Reply(201, { ...viewOf(blob, null), imported: false });
  };

/** Looks at files together. What cannot be used is not kept. */
const gather =
  (services: Services): Work<typeof routes.gather> =>
  async ({ params, query }) => {
    const { db, log } = services;
    const parts = await db.withClient((client) => listParts(client, params.id, params.folder));
    if (parts.length === 0) {
      throw notFound("folder");
    }
    try {
      const blobs = parts.map(({ id, path, size }) => ({ id, path, size }));
      const { blobId: picture, ...detail } = await inspectTogether(db, blobs);
      const first = await standFor(services, parts, detail, picture);
      const imported = await keepOrTake(services, first, detail, query.take);
      return new Reply(201, { ...viewOf(first, detail), imported });
    } catch (error) {
      await db.withTransaction(async (client) => {
        for (const part of parts) {
          await deleteBlob(client, part.id);
        }
      });
      throw readable(error, parts[0]!.path.split("/")[0]!, log);
    }
  };

/** @throws AppError 404 where the file is not there, or is a scene by now */
async function requireUpload({ db }: Services, id: string): Promise<Blob> {
  const blob = await db.withClient((client) => findBlob(client, id));
  if (blob?.purpose !== "upload") {
    throw notFound("upload");
  }
  return blob;
}

/** Serves the routes of files on their way in. */
export function uploadRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.send, send(services));
  serve(api, routes.gather, gather(services));
  serve(api, routes.look, async ({ params }) => {
    const blob = await requireUpload(services, params.id);
    if (blob.state !== "ready") {
      throw notFound("upload");
    }
    return look(services, blob, true);
  });
  serve(api, routes.list, async ({ params }) => {
    const blobs = await db.withClient((client) => listUploads(client, params.id));
    return blobs.map((blob) => viewOf(blob, blob.detail));
  });
  serve(api, routes.remove, async ({ params }) => {
    const { id } = await requireUpload(services, params.id);
    await db.withClient((client) => deleteBlob(client, id));
    return null;
  });
}
