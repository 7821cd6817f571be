import { FormatError } from "./errors";

/** Random access to the bytes of a file, wherever they are. */
export interface ByteSource {
  readonly size: number;
  /** Exactly `length` bytes from `offset`. @throws FormatError when they lie past the end */
  read(offset: number, length: number, signal?: AbortSignal): Promise<Uint8Array>;
}

/** Bytes that are in memory already. */
export class MemorySource implements ByteSource {
  constructor(private readonly bytes: Uint8Array) {}
  get size(): number {
    return this.bytes.length;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    if (offset < 0 || offset + length > this.bytes.length) {
      throw new FormatError(
        "truncated",
        `The file ends at byte ${this.bytes.length}, but bytes up to ${offset + length} are needed`,
      );
    }
    return this.bytes.subarray(offset, offset + length);
  }
}
