import { Readable, pipeline } from "node:stream";
import { createGunzip } from "node:zlib";
import { type Extract, extract } from "tar-stream";
import { messageOf } from "@hindglance/core/errors";
import { FormatError } from "./errors";
import type { ByteSource } from "./source";
import { type FileSet, LIMITS } from "./zip";

type Entry = Extract extends AsyncIterable<infer Each> ? Each : never;

const READ = 1 << 20;
const AGAIN = "Fetch or copy the file again.";
/** Bytes from the beginning of each file that are kept, so that headers need no second pass. */
const HEAD = 1 << 17;
/** Files whose beginnings are kept at most. */
const MOST_HEADS = 128;
/** Where the word is that a tar archive has in the header of its first file. */
const USTAR = 257;

/** Whether a file begins as gzip does. */
export const looksLikeGzip = (head: Uint8Array): boolean => head[0] === 0x1f && head[1] === 0x8b;

/** Whether a file begins as a tar archive (POSIX.1-1988 and later). */
export const looksLikeTar = (head: Uint8Array): boolean =>
  Buffer.from(head.subarray(USTAR, USTAR + 5)).toString("latin1") === "ustar";

async function* bytesOf(source: ByteSource): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < source.size; at += READ) {
    yield await source.read(at, Math.min(READ, source.size - at));
  }
}

/** @throws FormatError in our words for what the libraries say */
function broken(error: unknown): never {
  if (error instanceof FormatError) {
    throw error;
  }
  const why = messageOf(error);
  if (/unexpected end/i.test(why)) {
    throw new FormatError("truncated", "The archive is cut off", AGAIN);
  }
  if (/invalid tar header|checksum/i.test(why)) {
    throw new FormatError(
      "damaged",
      "This is no tar archive, or it is damaged",
      "Single compressed files are not read: unpack them first.",
    );
  }
  throw new FormatError("damaged", `The archive cannot be read (${why})`, AGAIN);
}

/** The files of an archive in their order, each to be read or passed over before the next. */
async function* entriesOf(source: ByteSource, isPacked: boolean): AsyncGenerator<Entry> {
  const unpacked = extract();
  const bytes = Readable.from(bytesOf(source), { objectMode: false });
  const failure: { error?: unknown } = {};
  const ended = (error: unknown) => {
    failure.error ??= error ?? undefined;
  };
  if (isPacked) {
    pipeline(bytes, createGunzip(), unpacked, ended);
  } else {
    pipeline(bytes, unpacked, ended);
  }
  try {
    for await (const entry of unpacked) {
      yield entry;
    }
  } catch (error) {
    broken(failure.error ?? error);
  } finally {
    bytes.destroy();
    unpacked.destroy();
  }
}

/** @throws FormatError where an archive leads out of itself, or unpacks to far too much */
function requireSafe(
  { header: { name } }: Entry,
  count: number,
  total: number,
  size: number,
): void {
  if (name.startsWith("/") || name.split("/").includes("..") || name.includes("\\")) {
    throw new FormatError(
      "hostile",
      "The archive holds a file whose path leads out of it; it is not opened",
    );
  }
  const isBomb = total > READ && total > size * LIMITS.ratio;
  if (count > LIMITS.entries || total > LIMITS.total || isBomb) {
    throw new FormatError(
      "hostile",
      `The archive would unpack from ${size} to ${total} bytes or more, in ${count} files; it is not opened`,
    );
  }
}

/** Bytes of a file as they come. @throws FormatError where the archive is damaged within it */
async function* chunksOf(entry: Entry): AsyncGenerator<Uint8Array> {
  try {
    for await (const chunk of entry) {
      if (chunk instanceof Uint8Array) {
        yield chunk;
      }
    }
  } catch (error) {
    broken(error);
  }
}

/** First bytes of a file; what is left of it is passed over. */
async function headOf(entry: Entry): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let length = 0;
  for await (const part of chunksOf(entry)) {
    if (length < HEAD) {
      parts.push(part);
      length += part.length;
    }
  }
  return Buffer.concat(parts).subarray(0, HEAD);
}

const nameOf = ({ header }: Entry): string => header.name.replace(/^\.\//, "");

/**
 * A tar archive, packed with gzip or not. Its files can be had in any order, though each is reached from the
 * archive's beginning; the first bytes of each are kept. Links and folders are left out.
 *
 * @throws FormatError where it is damaged, leads out of itself, or would unpack to far too much
 */
export async function openTar(source: ByteSource): Promise<FileSet> {
  const isPacked = looksLikeGzip(await source.read(0, Math.min(2, source.size)));
  const files: { path: string; size: number }[] = [];
  const heads = new Map<string, Uint8Array>();
  let total = 0;
  let count = 0;
  for await (const entry of entriesOf(source, isPacked)) {
    const { type, size } = entry.header;
    count += 1;
    total += size;
    requireSafe(entry, count, total, source.size);
    if (type === "file" && heads.size < MOST_HEADS) {
      heads.set(nameOf(entry), await headOf(entry));
    } else {
      entry.resume();
    }
    if (type === "file") {
      files.push({ path: nameOf(entry), size });
    }
  }
  return {
    files,
    head: (path) => heads.get(path),
    stream: async (path) => {
      if (!files.some((file) => file.path === path)) {
        throw new FormatError("incomplete", `${path} is not in the archive`);
      }
      return contentOf(source, isPacked, path);
    },
  };
}

/** Bytes of one file of an archive. @throws FormatError where it is damaged before its end */
async function* contentOf(
  source: ByteSource,
  isPacked: boolean,
  path: string,
): AsyncGenerator<Uint8Array> {
  for await (const entry of entriesOf(source, isPacked)) {
    if (entry.header.type === "file" && nameOf(entry) === path) {
      yield* chunksOf(entry);
      return;
    }
    entry.resume();
  }
}
