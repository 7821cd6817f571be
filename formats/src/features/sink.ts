/** Somewhere that a file is written to, whose beginning may be known only at its end. */
export interface Sink {
  append(bytes: Uint8Array): Promise<void>;
  /** Writes over what was appended before. */
  overwrite(offset: number, bytes: Uint8Array): Promise<void>;
}

/** A file in memory. */
export class MemorySink implements Sink {
  private parts: Uint8Array[] = [];

  append(bytes: Uint8Array): Promise<void> {
    this.parts.push(bytes.slice());
    return Promise.resolve();
  }

  overwrite(offset: number, bytes: Uint8Array): Promise<void> {
    const all = this.bytes();
    all.set(bytes, offset);
    this.parts = [all];
    return Promise.resolve();
  }

  /** All that was written. */
  bytes(): Uint8Array {
    const out = new Uint8Array(this.parts.reduce((sum, { length }) => sum + length, 0));
    let at = 0;
    for (const part of this.parts) {
      out.set(part, at);
      at += part.length;
    }
    return out;
  }
}
