import { Readable } from "node:stream";
import { crc32 } from "node:zlib";
import yauzl from "yauzl";
import { messageOf } from "@hindglance/core/errors";
import { FormatError } from "./errors";
import type { ByteSource } from "./source";

/** A set of files that belong together: a zip, or a folder that was picked. Paths use /. */
export interface FileSet {
  readonly files: readonly { path: string; size: number }[];
  /** Bytes of a file in order. @throws FormatError when it is damaged or longer than it said */
  stream(path: string): Promise<AsyncIterable<Uint8Array>>;
  /** First bytes of a file, where they are at hand without unpacking it. */
  head?(path: string): Uint8Array | undefined;
}

/** What an archive may hold and unpack to at most. */
export const LIMITS = {
  entries: 20_000,
  /** Bytes of all files together. */
  total: 2 ** 38,
  /** Times its packed bytes. */
  ratio: 200,
};

/** First bytes of a zip: of its first file, or of its directory where it is empty. */
const BEGINNINGS = ["PK\x03\x04", "PK\x05\x06"];

/** Whether a file begins as a zip archive does. */
export const looksLikeZip = (head: Uint8Array): boolean =>
  BEGINNINGS.includes(String.fromCharCode(...head.subarray(0, 4)));

const READ = 1 << 20;

/** Lets the library read from a source. */
class SourceReader extends yauzl.RandomAccessReader {
  constructor(private readonly source: ByteSource) {
    super();
  }

  private async *range(start: number, end: number): AsyncGenerator<Buffer> {
    for (let at = start; at < end; at += READ) {
      yield Buffer.from(await this.source.read(at, Math.min(READ, end - at)));
    }
  }

  override _readStreamForRange(start: number, end: number): Readable {
    return Readable.from(this.range(start, end), { objectMode: false });
  }
}

/** Opens an archive at its directory. @throws FormatError */
const open = (source: ByteSource): Promise<yauzl.ZipFile> =>
  new Promise((resolve, reject) => {
    yauzl.fromRandomAccessReader(
      new SourceReader(source),
      source.size,
      { lazyEntries: true, autoClose: false, validateEntrySizes: true, strictFileNames: true },
      (error, zipFile) => {
        if (error) {
          reject(asFormatError(error));
        } else {
          resolve(zipFile);
        }
      },
    );
  });

/** @throws FormatError where a file would unpack to far more than it should, or is encrypted */
function requireSafe(entry: yauzl.Entry, total: number): void {
  const { fileName, compressedSize, uncompressedSize } = entry;
  const isBomb =
    uncompressedSize > 1 << 20 && uncompressedSize > Math.max(1, compressedSize) * LIMITS.ratio;
  if (total > LIMITS.total || isBomb) {
    throw new FormatError(
      "hostile",
      `${fileName} would unpack from ${compressedSize} to ${uncompressedSize} bytes; such an archive is not opened`,
    );
  }
  if (entry.generalPurposeBitFlag & 1) {
    throw new FormatError(
      "unsupported",
      `${fileName} is encrypted`,
      "Unpack the product and pick its folder.",
    );
  }
}

/** The files of an archive by their paths. @throws FormatError where it is damaged or hostile */
function entriesOf(zip: yauzl.ZipFile): Promise<Map<string, yauzl.Entry>> {
  const entries = new Map<string, yauzl.Entry>();
  let total = 0;
  return new Promise((resolve, reject) => {
    zip.on("error", (error: Error) => reject(asFormatError(error)));
    zip.on("end", () => resolve(entries));
    zip.on("entry", (entry: yauzl.Entry) => {
      total += entry.uncompressedSize;
      try {
        requireSafe(entry, total);
      } catch (error) {
        reject(asFormatError(error));
        return;
      }
      if (!entry.fileName.endsWith("/")) {
        entries.set(entry.fileName, entry);
      }
      zip.readEntry();
    });
    zip.readEntry();
  });
}

const streamOf = (zip: yauzl.ZipFile, entry: yauzl.Entry): Promise<Readable> =>
  new Promise((resolve, reject) => {
    zip.openReadStream(entry, (error, readable) => {
      if (error) {
        reject(asFormatError(error));
      } else {
        resolve(readable);
      }
    });
  });

/**
 * Bytes as they come, held against the checksum of their entry once they end; faults in our words.
 */
async function* bytesOf(
  readable: Readable,
  { fileName, crc32: wanted }: yauzl.Entry,
): AsyncGenerator<Uint8Array> {
  let sum = 0;
  try {
    for await (const chunk of readable as AsyncIterable<Uint8Array>) {
      sum = crc32(chunk, sum);
      yield chunk;
    }
  } catch (error) {
    throw asFormatError(error);
  }
  if (sum !== wanted) {
    throw new FormatError(
      "damaged",
      `${fileName.split("/").pop()} is damaged inside its archive: its CRC-32 differs`,
      AGAIN,
    );
  }
}

/**
 * A zip archive (ZIP64 too) over random access: only the directory and what is asked for is read.
 * @throws FormatError where it is damaged, or would unpack to more than a product has
 */
export async function openZip(source: ByteSource): Promise<FileSet> {
  const zip = await open(source);
  if (zip.entryCount > LIMITS.entries) {
    throw new FormatError(
      "hostile",
      `The archive says it holds ${zip.entryCount} files; a product has some dozens`,
    );
  }
  const entries = await entriesOf(zip);
  return {
    files: [...entries].map(([path, entry]) => ({ path, size: entry.uncompressedSize })),
    async stream(path) {
      const entry = entries.get(path);
      if (!entry) {
        throw new FormatError("incomplete", `${path} is not in the archive`);
      }
      return bytesOf(await streamOf(zip, entry), entry);
    },
  };
}

/** Messages of the library about a path that leads out of the archive, and about missing bytes. */
const ESCAPES = /relative path|absolute path|invalid characters|fileName/i;
const CUT =
  /end of central directory|signature|truncated|too many bytes|not enough bytes|unexpected end|invalid (distance|block|stored|code|literal)|incorrect (header|data)/i;
const AGAIN = "Fetch or copy the file again.";

/** A fault of the archive in our words. */
function asFormatError(error: unknown): FormatError {
  if (error instanceof FormatError) {
    return error;
  }
  const message = messageOf(error);
  if (ESCAPES.test(message)) {
    return new FormatError(
      "hostile",
      "The archive holds a file whose path leads out of it; it is not opened",
    );
  }
  return CUT.test(message)
    ? new FormatError("truncated", "The archive is cut off or damaged", AGAIN)
    : new FormatError("damaged", `The archive cannot be read (${message})`, AGAIN);
}

/** All bytes of one file of a set, up to a limit. */
export async function readAll(set: FileSet, path: string, maxBytes: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let length = 0;
  for await (const chunk of await set.stream(path)) {
    length += chunk.length;
    if (length > maxBytes) {
      throw new FormatError(
        "hostile",
        `${path} is larger than ${Math.round(maxBytes / 2 ** 20)} MB, the most that such a file can be`,
      );
    }
    parts.push(chunk);
  }
  return Buffer.concat(parts);
}
