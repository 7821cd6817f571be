import { type Hash, randomUUID } from "node:crypto";
import type { Router } from "express";
import { LRUCache } from "lru-cache";
import { DataStore, Server, Upload as Sending } from "@tus/server";
import { DIGEST_HEADER, SENDING, saidOfFile } from "@hindglance/contract/upload";
import { deleteArrivingFile, setBlobDigest } from "../db/arriving";
import { type Blob, type SaidOfFile, findBlob } from "../db/blobs";
import { Receiver, announceBlob } from "../db/receiving";
import { AWAY_MS, tried } from "../db/transient";
import { AppError, errorBody, notFound, tooLarge } from "../errors";
import { checked } from "./http";
import { placeIn, viewOf } from "./uploads";
import type { Services } from "./services";

/** How long one that sends is heard out when another goes on with its upload, milliseconds. */
const DRAIN_MS = 100;
/** Checksums of uploads under way that are remembered; others are made from what is stored. */
const CHECKSUMS = 100;

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

/** What the sender said of a file. @throws AppError naming what is wrong */
function readSaid({ metadata }: Sending): { study: string; name: string; sent: SaidOfFile } {
  const given = Object.fromEntries(
    Object.entries(metadata ?? {}).filter(([, value]) => value !== null && value !== ""),
  );
  const said = checked(saidOfFile, given, "query");
  const { study, filename, modified, folder, path, foldername, files, bytes } = said;
  const place = placeIn({ folder: folder ?? null, path: path ?? null });
  return {
    study,
    name: filename,
    sent: {
      modified: modified ?? null,
      folder: place?.folder ?? null,
      path: place?.path ?? null,
      folderName: foldername ?? null,
      files: place ? (files ?? 1) : 1,
      bytes: bytes ?? 0,
    },
  };
}

/** Files that come in pieces, in the database. */
class ArrivingStore extends DataStore {
  override extensions = ["creation", "creation-with-upload", "termination"];
  private readonly checksums = new LRUCache<string, { size: number; hash: Hash }>({
    max: CHECKSUMS,
  });

  constructor(private readonly services: Services) {
    super();
  }

  private async find(id: string): Promise<Blob> {
    const found = UUID.test(id)
      ? await tried(() => this.services.db.withClient((client) => findBlob(client, id)), {
          forMs: AWAY_MS,
        })
      : null;
    if (found?.length == null) {
      throw notFound("upload");
    }
    return found;
  }

  /** @throws AppError where its study is not there, or it is empty or too large */
  override async create(sending: Sending): Promise<Sending> {
    const { config, db } = this.services;
    const { study, name, sent } = readSaid(sending);
    const length = sending.size ?? 0;
    if (length === 0) {
      throw new AppError(422, "empty", `${name} is empty`, "file", "Fetch or copy the file again.");
    }
    const maxBytes = config.maxUploadBytes;
    if (length > maxBytes) {
      throw tooLarge(name, maxBytes);
    }
    const { folder, path } = sent;
    await db.withClient((client) =>
      announceBlob(client, {
        ...{ id: sending.id, studyId: study, name, maxBytes, length, sent },
        purpose: folder ? "part" : "upload",
        ...(folder ? { detail: { folder, path } } : {}),
      }),
    );
    return sending;
  }

  /** Where an upload stands: so many bytes of it are stored. @throws AppError 404 */
  override async getUpload(id: string): Promise<Sending> {
    const { size, length, createdAt } = await this.find(id);
    const creation_date = new Date(createdAt).toISOString();
    return new Sending({ id, size: length!, offset: size, creation_date });
  }

  /**
   * Takes bytes as long as they come; what has come stays stored, however it ends.
   * @returns how many bytes of the upload are stored now
   */
  override async write(
    stream: AsyncIterable<Uint8Array>,
    id: string,
    offset: number,
  ): Promise<number> {
    const blob = await this.find(id);
    const before = this.checksums.get(id);
    const hash = before?.size === offset ? before.hash : undefined;
    const { name } = blob;
    const receiver = await new Receiver(this.services.db, {
      ...{ id, name, maxBytes: blob.length!, size: offset },
      ...(hash ? { hash } : {}),
    }).begin();
    this.checksums.delete(id);
    for await (const piece of stream) {
      await receiver.take(piece);
    }
    await receiver.flush();
    const { size, hash: reached } = receiver.standing;
    if (size === blob.length) {
      await receiver.end();
    } else if (reached) {
      this.checksums.set(id, { size, hash: reached });
    }
    return size;
  }

  /** Forgets an upload that is not wanted any more. @throws AppError 404 */
  override async remove(id: string): Promise<void> {
    await this.find(id);
    await this.services.db.withClient((client) => deleteArrivingFile(client, id));
  }
}

/** The SHA-256 that a header tells, as hexadecimal digits; null where it tells none. */
export function digestIn(header: string | null): string | null {
  const value = /(?:^|,)\s*sha-256=:([A-Za-z0-9+/]{43}=):/.exec(header ?? "")?.[1];
  return value ? Buffer.from(value, "base64").toString("hex") : null;
}

/** Serves files that come in pieces, by tus 1.0.0. */
export function sendingRoutes(api: Router, services: Services): void {
  const { db, log, settling } = services;
  const path = `/api${SENDING}`;
  const server = new Server({
    path,
    datastore: new ArrivingStore(services),
    allowedOrigins: [],
    lockDrainTimeout: DRAIN_MS,
    namingFunction: () => randomUUID(),
    generateUrl: (_req, { id }) => `${path}/${id}`,
    onIncomingRequest: async (req, id) => {
      const digest = req.method === "PATCH" ? digestIn(req.headers.get(DIGEST_HEADER)) : null;
      if (digest) {
        await db.withClient((client) => setBlobDigest(client, id, digest));
      }
    },
    onUploadFinish: async (_req, { id }) => {
      const blob = await db.withClient((client) => findBlob(client, id));
      const looked = blob && (await settling.settle(blob));
      const answer = looked && { ...viewOf(looked.blob, looked.detail), imported: looked.imported };
      return { status_code: 200, body: JSON.stringify(answer) };
    },
    onResponseError: (_req, error) => {
      if ("status_code" in error) {
        return undefined;
      }
      const { status, body, expected } = errorBody(error);
      if (!expected) {
        log.error(error);
      }
      return { status_code: status, body: JSON.stringify({ error: body }) };
    },
  });
  api.all([SENDING, `${SENDING}/:id`], (req, res) => server.handle(req, res));
}
