import type { Sink } from "./features/sink";
import type { Spool } from "./tiff/writeCog";

/** A file in memory: for what is small, and for tests. */
export class MemoryFile implements Sink, Spool {
  private parts: Uint8Array[] = [];

  append(bytes: Uint8Array): Promise<void> {
    this.parts.push(bytes.slice());
    return Promise.resolve();
  }

  overwrite(offset: number, bytes: Uint8Array): Promise<void> {
    this.bytes().set(bytes, offset);
    return Promise.resolve();
  }

  read(offset: number, length: number): Promise<Uint8Array> {
    return Promise.resolve(this.bytes().subarray(offset, offset + length));
  }

  /** All that was written. */
  bytes(): Uint8Array {
    if (this.parts.length !== 1) {
      this.parts = [new Uint8Array(Buffer.concat(this.parts))];
    }
    return this.parts[0]!;
  }
}
