import type { Request, Router } from "express";
import {
  type TakenUpload,
  type Upload,
  uploadDetail,
  uploadRoutes as routes,
} from "@hindglance/contract/upload";
import { CancelledError } from "@hindglance/core/errors";
import { deleteArriving, leaveToOthers, listArriving } from "../db/arriving";
import {
  type Blob,
  deleteBlob,
  deleteBlobs,
  findBlob,
  listParts,
  listUploads,
  saySentTogether,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import { type BlobDetail, filesOf } from "../db/inspection";
import { receiveBlob } from "../db/receiving";
import { AppError, notFound, tooLarge } from "../errors";
import { type Looked, folderOf, lookAtFile, lookAtFolder, readable } from "../products/look";
import { arrivingFiles } from "../products/arriving";
import type { Submit } from "../products/plans";
import { knownIn, readAhead, takeIn } from "../products/takeIn";
import { idOf } from "./http";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";

type SendQuery = Pick<Parameters<Work<typeof routes.send>>[0]["query"], "folder" | "path">;

/**
 * Streams a file into the store.
 * @throws AppError when it is too large or not all of it arrived; nothing is left then
 */
async function receive({ db, config }: Services, req: Request, name: string): Promise<Blob> {
  const length = Number(req.headers["content-length"] ?? NaN);
  if (length > config.maxUploadBytes) {
    throw tooLarge(name, config.maxUploadBytes);
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
export function placeIn({ folder, path }: SendQuery): { folder: string; path: string } | null {
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
export function viewOf(
  { id, name, size, sha256, createdAt }: Blob,
  found: BlobDetail | null,
): Upload {
  const detail = found?.form ? uploadDetail.cast(found, { stripUnknown: true }) : null;
  return { id, name, size, sha256, createdAt: new Date(createdAt).toISOString(), detail };
}

/** What was looked at, as the page sees it. @throws AppError 404 where it is gone meanwhile */
function takenOf(looked: Looked | null): TakenUpload {
  if (!looked) {
    throw notFound("upload");
  }
  const { blob, detail, imported } = looked;
  return { ...viewOf(blob, detail), imported };
}

/** Looks into a file that has arrived. @throws AppError; the file is not kept then */
async function look(services: Services, blob: Blob, take: boolean): Promise<TakenUpload> {
  const { db, log } = services;
  try {
    return takenOf(await lookAtFile(services.settling.looking, blob, take));
  } catch (error) {
    await db.withClient((client) => deleteBlob(client, blob.id));
    throw readable(error, blob.name, log);
  }
}

/** Takes a file into the store and looks into it. */
const send =
  (services: Services): Work<typeof routes.send> =>
  async ({ query, req }) => {
    const place = placeIn(query);
    const blob = await receive(services, req, query.name);
    if (!place) {
      if (query.take) {
        // Should this server die now, another one goes on with it.
        await services.db.withClient((client) => leaveToOthers(client, blob.id));
      }
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
    const name = folderOf(parts);
    await db.withClient((client) => saySentTogether(client, params.id, params.folder, name));
    try {
      return new Reply(
        201,
        takenOf(await lookAtFolder(services.settling.looking, parts, query.take)),
      );
    } catch (error) {
      const ids = parts.map((part) => part.id);
      await db.withClient((client) => deleteBlobs(client, ids));
      throw readable(error, name, log);
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
  serve(api, routes.take, async ({ params }) => {
    const upload = await requireUpload(services, params.id);
    const { studyId, detail } = upload;
    if (studyId && detail?.form) {
      const read = await readAhead(services, upload, detail);
      const imported = await db.withTransaction((client) => {
        const order: Submit = (run) => services.engine.submit(client, run);
        return takeIn(order, client, studyId, upload, detail, read);
      });
      return { ...viewOf(upload, detail), imported };
    }
    throw notFound("upload");
  });
  serve(api, routes.list, async ({ params }) => {
    const blobs = await db.withClient((client) => listUploads(client, params.id));
    return blobs.map((blob) => viewOf(blob, blob.detail));
  });
  serve(api, routes.remove, async ({ params }) => {
    const { id, detail } = await requireUpload(services, params.id);
    await db.withClient((client) => deleteBlobs(client, [id, ...filesOf(detail)]));
    return null;
  });
  arrivingRoutes(api, services);
}

/** Routes of files that come in pieces, beside the protocol that brings them. */
function arrivingRoutes(api: Router, { db, settling }: Services): void {
  serve(api, routes.arriving, async ({ params }) => {
    const blobs = await db.withClient((client) => listArriving(client, params.id));
    return arrivingFiles(blobs);
  });
  serve(api, routes.again, async ({ params }) => {
    if (!(await settling.again(params.id, params.arrivingId))) {
      throw notFound("upload");
    }
    return null;
  });
  serve(api, routes.forget, async ({ params }) => {
    const { id, arrivingId } = params;
    if (!(await db.withClient((client) => deleteArriving(client, id, arrivingId)))) {
      throw notFound("upload");
    }
    return null;
  });
  serve(api, routes.known, async ({ params, query }) => ({
    said: await db.withClient((client) => knownIn(client, params.id, query)),
  }));
}
