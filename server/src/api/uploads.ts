import { createHash } from "node:crypto";
import type { Router } from "express";
import { CancelledError } from "@hindglance/core/errors";
import { looksLikeMtl } from "@hindglance/formats/optical/mtl";
import { looksLikeWorldFile } from "@hindglance/formats/raster/worldFile";
import { looksLikeOrbitFile } from "@hindglance/formats/product/orbitFile";
import {
  deleteBlob,
  findBlob,
  listParts,
  listUploads,
  receiveBlob,
  setBlobDetail,
  setBlobPurpose,
} from "../db/blobs";
import { AppError, errorBody, notFound } from "../errors";
import {
  inspect,
  inspectPlaced,
  inspectProduct,
  inspectStack,
  takeOrbit,
} from "../products/inspect";
import { type UploadedFiles, openUploaded } from "../products/uploaded";
import { idOf } from "./http";
import type { Services } from "./services";

/**
 * One checksum for a folder: SHA-256 over the lines "checksum path" of its files in the order of
 * their paths.
 */
const digestOf = (parts: readonly { path: string; sha256: string }[]): string =>
  createHash("sha256")
    .update(parts.map((part) => `${part.sha256}  ${part.path}\n`).join(""))
    .digest("hex");

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

export function uploadRoutes(api: Router, { db, config, log }: Services): void {
  /** The body is the file; its name comes in the query. */
  api.post("/studies/:id/uploads", async (req, res) => {
    const name = (typeof req.query.name === "string" ? req.query.name : "")
      .replace(/^.*[/\\]/, "")
      .trim();
    if (!name || name.length > 255 || [...name].some((ch) => ch < " ")) {
      throw new AppError(422, "invalid", "The file needs a name of 1 to 255 characters", "name");
    }
    const length = Number(req.headers["content-length"] ?? NaN);
    if (length > config.maxUploadBytes) {
      throw new AppError(
        413,
        "tooLarge",
        `${name} is larger than ${Math.round(config.maxUploadBytes / 2 ** 30)} GB, the most that can be taken`,
        "file",
      );
    }
    const blob = await receiveBlob(
      db,
      { studyId: idOf(req), purpose: "upload", name, maxBytes: config.maxUploadBytes },
      req,
    ).catch((e) => {
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
    // Files of a folder say nothing by themselves; they are looked at together when the last one is
    // there.
    const folder = typeof req.query.folder === "string" ? req.query.folder : null;
    const path = typeof req.query.path === "string" ? req.query.path : null;
    if (folder !== null || path !== null) {
      const safe =
        /^[0-9a-f-]{36}$/.test(folder ?? "") &&
        path &&
        path.length < 1000 &&
        !path.startsWith("/") &&
        !path.split("/").includes("..") &&
        !path.includes("\\");
      if (!safe) {
        await db.withClient((client) => deleteBlob(client, blob.id));
        throw new AppError(
          422,
          "invalid",
          "A file of a folder needs the folder's id and a path inside it",
          "path",
        );
      }
      await db.withClient(async (client) => {
        await setBlobPurpose(client, blob.id, "part");
        await setBlobDetail(client, blob.id, { folder, path });
      });
      res.status(201).json({ ...blob, purpose: "part" });
      return;
    }
    try {
      if (looksLikeOrbitFile(blob.name)) {
        const taken = await takeOrbit(db, blob);
        await db.withClient((client) => deleteBlob(client, blob.id));
        res.status(201).json({ ...blob, detail: taken });
        return;
      }
      const inspection = await inspect(db, blob);
      await db.withClient((client) => setBlobDetail(client, blob.id, inspection));
      res.status(201).json({ ...blob, detail: inspection });
    } catch (error) {
      await db.withClient((client) => deleteBlob(client, blob.id));
      throw readable(error, name, log);
    }
  });

  /**
   * Files that belong together and have all arrived: a product's folder, or the bands of an optical
   * scene with their metadata text; looked at as one. The first file stands for all of them from
   * then on.
   */
  api.post("/studies/:id/folders/:folder", async (req, res) => {
    const studyId = idOf(req);
    const folder = String(req.params.folder);
    const parts = await db.withClient((client) => listParts(client, studyId, folder));
    const name = parts[0]?.path.split("/")[0] ?? folder;
    if (parts.length === 0) {
      throw notFound("folder");
    }
    const remove = () =>
      db.withClient(async (client) => {
        for (const part of parts) {
          await deleteBlob(client, part.id);
        }
      });
    try {
      const files: UploadedFiles = {
        zip: false,
        blobs: parts.map(({ id, path, size }) => ({ id, path, size })),
      };
      const inspection = parts.some((part) => looksLikeMtl(part.path))
        ? await inspectStack(db, files.blobs)
        : parts.some((part) => looksLikeWorldFile(part.path))
          ? await inspectPlaced(db, files.blobs)
          : await inspectProduct(await openUploaded(db, files), files);
      const placed = inspection.form === "raster";
      const main = placed ? String((inspection as { blobId?: string }).blobId) : parts[0]!.id;
      const first = await db.withTransaction(async (client) => {
        await setBlobPurpose(client, main, "upload");
        await setBlobDetail(client, main, inspection);
        if (!placed) {
          await client.query("UPDATE blob SET name = $2, sha256 = $3 WHERE id = $1", [
            main,
            inspection.form === "stack" ? String(inspection.product) : name,
            digestOf(parts),
          ]);
        }
        // What a world file said is kept with the picture; the file has done its work.
        else {
          for (const part of parts) {
            if (part.id !== main) {
              await deleteBlob(client, part.id);
            }
          }
        }
        return (await findBlob(client, main))!;
      });
      res.status(201).json({ ...first, detail: inspection });
    } catch (error) {
      await remove();
      throw readable(error, name, log);
    }
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
