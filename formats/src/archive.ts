import { FormatError } from "./errors";
import type { ByteSource } from "./source";
import { looksLikeGzip, looksLikeTar, openTar } from "./tar";
import { type FileSet, looksLikeZip, openZip } from "./zip";

/** Bytes that tell an archive from other files. */
const HEAD = 512;

/** Opens an archive by what it begins with: zip, tar, or tar packed with gzip; null for none. */
export async function openArchive(source: ByteSource): Promise<FileSet | null> {
  const head = await source.read(0, Math.min(HEAD, source.size));
  if (looksLikeZip(head)) {
    return openZip(source);
  }
  return looksLikeGzip(head) || looksLikeTar(head) ? openTar(source) : null;
}

/** Bytes of one file of an archive that are kept in memory at most. */
const MOST_BYTES = 768 << 20;

/**
 * A file of an archive for random access: it is unpacked from its beginning as far as it is asked
 * for, and kept in memory. For headers, and for small files.
 */
export class EntrySource implements ByteSource {
  readonly size: number;
  private head: Uint8Array;
  private rest: AsyncIterator<Uint8Array> | null = null;
  private buffer = new Uint8Array(0);
  /** Bytes of the buffer that are unpacked. */
  private length = 0;
  private turn: Promise<unknown> = Promise.resolve();

  /** @throws FormatError where the archive has no such file */
  constructor(
    private readonly set: FileSet,
    private readonly path: string,
  ) {
    const file = set.files.find((one) => one.path === path);
    if (!file) {
      throw new FormatError("incomplete", `${path} is not in the archive`);
    }
    this.size = file.size;
    this.head = set.head?.(path) ?? new Uint8Array(0);
  }

  async read(offset: number, length: number): Promise<Uint8Array> {
    const end = offset + length;
    if (offset < 0 || end > this.size) {
      throw new FormatError(
        "truncated",
        `${this.path} ends at byte ${this.size}, but bytes up to ${end} are needed`,
      );
    }
    if (end <= this.head.length) {
      return this.head.subarray(offset, end);
    }
    // One at a time: the archive is read forwards.
    const filled = this.turn.then(() => this.fill(end));
    this.turn = filled.catch(() => undefined);
    await filled;
    return this.buffer.subarray(offset, end);
  }

  /** Unpacks up to a byte. @throws FormatError where the file is too large, or damaged before */
  private async fill(end: number): Promise<void> {
    if (end > MOST_BYTES) {
      throw new FormatError(
        "absurdSize",
        `${this.path} is too large to be read inside its archive`,
        "Unpack the archive and pick its files.",
      );
    }
    this.rest ??= (await this.set.stream(this.path))[Symbol.asyncIterator]();
    while (this.length < end) {
      const next: IteratorResult<Uint8Array, undefined> = await this.rest.next();
      if (next.done) {
        throw new FormatError("truncated", `${this.path} is shorter than its archive says`);
      }
      this.take(next.value);
    }
    if (this.length === this.size) {
      // The end is asked for too: that is where an archive holds a file against its checksum.
      await this.rest.next();
    }
  }

  private take(bytes: Uint8Array): void {
    const length = Math.min(this.size, this.length + bytes.length);
    if (this.buffer.length < length) {
      const larger = new Uint8Array(Math.min(this.size, Math.max(length, 2 * this.buffer.length)));
      larger.set(this.buffer.subarray(0, this.length));
      this.buffer = larger;
    }
    this.buffer.set(bytes.subarray(0, length - this.length), this.length);
    this.length = length;
  }

  /** Lets the archive go. */
  async close(): Promise<void> {
    await this.rest?.return?.();
    this.buffer = new Uint8Array(0);
    this.head = new Uint8Array(0);
    this.length = 0;
    this.rest = null;
  }
}
