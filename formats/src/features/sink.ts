/** Somewhere that a file is written to, whose beginning may be known only at its end. */
export interface Sink {
  append(bytes: Uint8Array): Promise<void>;
  /** Writes over what was appended before. */
  overwrite(offset: number, bytes: Uint8Array): Promise<void>;
}
