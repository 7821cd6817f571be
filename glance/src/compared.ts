import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { readdir } from "node:fs/promises";
import { basename, join } from "node:path";
import { sumOf } from "./inputs";

/**
 * How a file that was made again came out beside the one that was handed over then: the same bytes, the same
 * but for what two databases and two days write differently, other bytes, or none of that name was there.
 */
export type Held = "same" | "sameButForIds" | "other" | "absent";

/** A file that was made again, and how it came out. */
export interface HeldFile {
  file: string;
  held: Held;
}

/**
 * What every database and every writing says in its own way: ids of things, the identity that hangs on them
 * (that of the account does not), when it was written. Each is as long in every file.
 */
const OWN = new RegExp(
  [
    "[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[0-9a-f]{4}-[0-9a-f]{12}",
    // JSON as it is, and in XML.
    `("|&quot;)nodeHash\\1:\\1[0-9a-f]{32}\\1`,
    `("|&quot;)writtenAt\\2:\\2[0-9T:.-]{23}Z\\2`,
    // Lines of a table.
    "identity,[0-9a-f]{32}",
    "written,[0-9T:.-]{23}Z",
  ].join("|"),
  "g",
);
/** Longer than any of those. */
const LONGEST = 128;

/** Characters of a file, from part to part, with what is its own left out. */
export async function* withoutOwn(parts: AsyncIterable<string>): AsyncGenerator<string> {
  let left = "";
  for await (const part of parts) {
    const text = left + part;
    let cut = Math.max(0, text.length - LONGEST);
    let from = 0;
    for (const { index, 0: own } of text.matchAll(OWN)) {
      // What may go on in the next part waits for it.
      if (index + own.length > cut) {
        cut = Math.min(cut, index);
        break;
      }
      yield text.slice(from, index);
      yield "?";
      from = index + own.length;
    }
    yield text.slice(from, cut);
    left = text.slice(cut);
  }
  yield left.replaceAll(OWN, "?");
}

/** SHA-256 of a file's bytes without what is its own. */
async function ownlessSum(path: string): Promise<string> {
  const hash = createHash("sha256");
  const parts: AsyncIterable<string> = createReadStream(path, { encoding: "latin1" });
  for await (const part of withoutOwn(parts)) {
    hash.update(part, "latin1");
  }
  return hash.digest("hex");
}

async function heldBetween(then: string, now: string): Promise<Held> {
  if ((await sumOf(then)) === (await sumOf(now))) {
    return "same";
  }
  return (await ownlessSum(then)) === (await ownlessSum(now)) ? "sameButForIds" : "other";
}

/** Holds files against those of the same name in a folder or in one below it. */
export async function heldAgainst(folder: string, made: readonly string[]): Promise<HeldFile[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  const all: HeldFile[] = [];
  for (const path of made) {
    const file = basename(path);
    const then = entries.find((entry) => entry.isFile() && entry.name === file);
    const held = then ? await heldBetween(join(then.parentPath, then.name), path) : "absent";
    all.push({ file, held });
  }
  return all;
}
