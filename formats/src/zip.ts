import { Readable } from "node:stream";
import yauzl from "yauzl";
import { FormatError } from "./errors";
import type { ByteSource } from "./source";

/** A set of files that belong together: a zip, or a folder that was picked. Paths use /. */
export interface FileSet {
  readonly files: readonly { path: string; size: number }[];
  /** Bytes of a file in order. @throws FormatError when it is damaged or longer than it said */
  stream(path: string): Promise<AsyncIterable<Uint8Array>>;
}

const MAX_ENTRIES = 20_000;
const MAX_TOTAL = 2 ** 38;
const MAX_RATIO = 200;

/**
 * A zip archive (ZIP64 too) over random access: only the directory and what is asked for is read.
 */
export async function openZip(source: ByteSource): Promise<FileSet> {
  const reader = new (class extends yauzl.RandomAccessReader {
    override _readStreamForRange(start: number, end: number): Readable {
      return Readable.from(
        (async function* () {
          for (let at = start; at < end; at += 1 << 20) {
            yield Buffer.from(await source.read(at, Math.min(1 << 20, end - at)));
          }
        })(),
        { objectMode: false },
      );
    }
  })();
  const zip = await new Promise<yauzl.ZipFile>((ok, no) => {
    yauzl.fromRandomAccessReader(
      reader,
      source.size,
      { lazyEntries: true, autoClose: false, validateEntrySizes: true, strictFileNames: true },
      (error, zipFile) => {
        if (error) {
          no(asFormatError(error));
        } else {
          ok(zipFile);
        }
      },
    );
  });
  const entries = new Map<string, yauzl.Entry>();
  if (zip.entryCount > MAX_ENTRIES) {
    throw new FormatError(
      "hostile",
      `The archive says it holds ${zip.entryCount} files; a product has some dozens`,
    );
  }
  await new Promise<void>((ok, no) => {
    let total = 0;
    zip.on("error", (error: Error) => no(asFormatError(error)));
    zip.on("end", ok);
    zip.on("entry", (entry: yauzl.Entry) => {
      const path = String(entry.fileName);
      total += entry.uncompressedSize;
      const big =
        entry.uncompressedSize > 1 << 20 &&
        entry.uncompressedSize > Math.max(1, entry.compressedSize) * MAX_RATIO;
      if (total > MAX_TOTAL || big) {
        no(
          new FormatError(
            "hostile",
            `${path} would unpack from ${entry.compressedSize} to ${entry.uncompressedSize} bytes; such an archive is not opened`,
          ),
        );
        return;
      }
      if (entry.generalPurposeBitFlag & 1) {
        no(
          new FormatError(
            "unsupported",
            `${path} is encrypted`,
            "Unpack the product and pick its folder.",
          ),
        );
        return;
      }
      if (!path.endsWith("/")) {
        entries.set(path, entry);
      }
      zip.readEntry();
    });
    zip.readEntry();
  });
  return {
    files: [...entries].map(([path, entry]) => ({ path, size: entry.uncompressedSize })),
    async stream(path) {
      const entry = entries.get(path);
      if (!entry) {
        throw new FormatError("incomplete", `${path} is not in the archive`);
      }
      const readable = await new Promise<Readable>((ok, no) => {
        zip.openReadStream(entry, (err, r) => {
          if (err) {
            no(asFormatError(err));
          } else {
            ok(r);
          }
        });
      });
      return (async function* () {
        try {
          for await (const b of readable) {
            yield b as Uint8Array;
          }
        } catch (err) {
          throw asFormatError(err as Error);
        }
      })();
    },
  };
}

function asFormatError(error: Error): Error {
  if (error instanceof FormatError) {
    return error;
  }
  const m = error.message;
  if (/relative path|absolute path|invalid characters|fileName/i.test(m)) {
    return new FormatError(
      "hostile",
      "The archive holds a file whose path leads out of it; it is not opened",
    );
  }
  if (
    /end of central directory|signature|truncated|too many bytes|not enough bytes|unexpected end|invalid (distance|block|stored|code|literal)|incorrect (header|data)/i.test(
      m,
    )
  ) {
    return new FormatError(
      "truncated",
      "The archive is cut off or damaged",
      "Fetch or copy the file again.",
    );
  }
  return new FormatError(
    "damaged",
    `The archive cannot be read (${m})`,
    "Fetch or copy the file again.",
  );
}

/** All bytes of one file of a set, up to a limit. */
export async function readAll(set: FileSet, path: string, maxBytes: number): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let n = 0;
  for await (const b of await set.stream(path)) {
    n += b.length;
    if (n > maxBytes) {
      throw new FormatError(
        "hostile",
        `${path} is larger than ${Math.round(maxBytes / 2 ** 20)} MB, the most that such a file can be`,
      );
    }
    parts.push(b);
  }
  return Buffer.concat(parts);
}
