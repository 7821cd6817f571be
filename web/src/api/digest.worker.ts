import { createSHA256 } from "hash-wasm";
import { messageOf } from "@hindglance/core/errors";

// Makes checksums of files beside the page, one file after the other.

/** Bytes that are read at a time. */
const PIECE = 4 << 20;

/** A file whose checksum is wanted, or one that is not wanted any more. */
export type DigestAsk = { id: number; file: File } | { id: number; file: null };
/** A checksum as hexadecimal digits, or what was wrong. */
export type DigestAnswer = { id: number; digest: string } | { id: number; problem: string };

const stopped = new Set<number>();
let last: Promise<void> = Promise.resolve();

async function digestOf(id: number, file: File): Promise<string | null> {
  const hash = await createSHA256();
  for (let at = 0; at < file.size; at += PIECE) {
    if (stopped.delete(id)) {
      return null;
    }
    hash.update(new Uint8Array(await file.slice(at, at + PIECE).arrayBuffer()));
  }
  return hash.digest("hex");
}

async function answer(id: number, file: File): Promise<void> {
  const send = (said: DigestAnswer) => postMessage(said);
  try {
    const digest = await digestOf(id, file);
    if (digest !== null) {
      send({ id, digest });
    }
  } catch (error) {
    send({ id, problem: messageOf(error) });
  }
}

addEventListener("message", ({ data }: MessageEvent<DigestAsk>) => {
  const { id, file } = data;
  if (file) {
    last = last.then(() => answer(id, file));
  } else {
    stopped.add(id);
  }
});
