import { PassThrough, Readable } from "node:stream";
import yazl from "yazl";

/** A file in an archive. */
export interface ZipEntry {
  name: string;
  bytes: AsyncIterable<Uint8Array>;
  /** Whether they are compressed already: they are kept as they are. */
  isPacked?: boolean;
}

/**
 * Files as a zip archive, one after the other as they are made; over 4 GB as zip64.
 * @param at time that the archive gives its files
 */
export async function* zipped(entries: readonly ZipEntry[], at: Date): AsyncGenerator<Uint8Array> {
  const archive = new yazl.ZipFile();
  const out = new PassThrough();
  const sources = entries.map(({ name, bytes, isPacked = false }) => {
    const source = Readable.from(bytes, { objectMode: false });
    // What fails in one file ends the archive.
    source.on("error", (error) => out.destroy(error));
    archive.addReadStream(source, name, { mtime: at, mode: 0o100644, compress: !isPacked });
    return source;
  });
  archive.end();
  archive.outputStream.pipe(out);
  try {
    yield* out as AsyncIterable<Uint8Array>;
  } finally {
    sources.forEach((source) => source.destroy());
  }
}
