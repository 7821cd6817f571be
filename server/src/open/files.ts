import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { Request, Response } from "express";
import { BlobSource, findBlob } from "../db/blobs";
import type { Database } from "../db/pool";
import { AppError, notFound } from "../errors";
import { isLeft } from "../leftStream";

/** Bytes that are read from the store at a time. */
const PART = 1 << 20;

async function* partsOf(source: BlobSource, from: number, end: number) {
  for (let at = from; at < end; at += PART) {
    yield await source.read(at, Math.min(PART, end - at));
  }
}

/** The range that is asked for; all where none is. @throws AppError 416 */
function rangeOf(req: Request, size: number): { from: number; end: number; isPart: boolean } {
  const asked = req.range(size);
  if (asked === undefined || asked === -2) {
    return { from: 0, end: size, isPart: false };
  }
  if (asked === -1) {
    throw new AppError(416, "range", `The file has ${size} bytes`, "range");
  }
  // Of several ranges all is sent, as RFC 9110 allows.
  const [first] = asked;
  return asked.length > 1 || !first
    ? { from: 0, end: size, isPart: false }
    : { from: first.start, end: first.end + 1, isPart: true };
}

/**
 * Sends a file that was made in a study, or a range of it.
 * @param name that it is asked for by, which has to be its own @throws AppError 404, 416
 */
export async function sendOpenFile(
  db: Database,
  study: string,
  { id, name }: { id: string; name: string | null },
  req: Request,
  res: Response,
): Promise<void> {
  const blob = await db.withClient((client) => findBlob(client, id));
  // Readers ask for what may lie beside a file by names made of its own: that is not there.
  const isNamed = name === null || name === blob?.name;
  const isFile = blob?.purpose === "file" && blob.state === "ready";
  if (blob?.studyId !== study || !isFile || !isNamed) {
    throw notFound("file");
  }
  const { size, mediaType } = blob;
  const { from, end, isPart } = rangeOf(req, size);
  res.status(isPart ? 206 : 200).set({
    "content-type": mediaType ?? "application/octet-stream",
    "content-length": String(end - from),
    "accept-ranges": "bytes",
    etag: `"${id}"`,
    ...(isPart ? { "content-range": `bytes ${from}-${end - 1}/${size}` } : {}),
  });
  if (req.method === "HEAD") {
    res.end();
    return;
  }
  try {
    await pipeline(Readable.from(partsOf(new BlobSource(db, id, size), from, end)), res);
  } catch (error) {
    if (!isLeft(error)) {
      throw error;
    }
  }
}
