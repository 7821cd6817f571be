import { readdir } from "node:fs/promises";
import { basename, join } from "node:path";
import { sumOf } from "./inputs";

/** A file that was made again, and whether the one that was handed over then holds the same bytes. */
export interface HeldFile {
  file: string;
  /** Null where none of that name was handed over. */
  isSame: boolean | null;
}

/** Holds files against those of the same name in a folder or in one below it. */
export async function heldAgainst(folder: string, made: readonly string[]): Promise<HeldFile[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  const held: HeldFile[] = [];
  for (const path of made) {
    const file = basename(path);
    const then = entries.find((entry) => entry.isFile() && entry.name === file);
    const isSame = then
      ? (await sumOf(join(then.parentPath, then.name))) === (await sumOf(path))
      : null;
    held.push({ file, isSame });
  }
  return held;
}
