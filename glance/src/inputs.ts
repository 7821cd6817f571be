import { createHash } from "node:crypto";
import { createReadStream, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import type { AccountFile } from "@hindglance/core/again/account";

/** SHA-256 of a file's bytes. */
export async function sumOf(path: string): Promise<string> {
  const hash = createHash("sha256");
  await pipeline(createReadStream(path), hash);
  return hash.digest("hex");
}

/**
 * Finds files in a folder, at any depth, by what they hold, whatever they are called there.
 * @throws Error naming those that are not there
 */
export async function findFiles(
  folder: string,
  wanted: readonly AccountFile[],
): Promise<Map<string, string>> {
  const sizes = new Set(wanted.map(({ size }) => size));
  const sums = new Set(wanted.map(({ sha256 }) => sha256));
  const found = new Map<string, string>();
  const entries = readdirSync(folder, { withFileTypes: true, recursive: true });
  for (const entry of entries.filter((one) => one.isFile())) {
    const path = join(entry.parentPath, entry.name);
    if (sizes.has(statSync(path).size)) {
      const sum = await sumOf(path);
      if (sums.has(sum)) {
        found.set(sum, path);
      }
    }
  }
  const lacking = wanted.filter(({ sha256 }) => !found.has(sha256));
  if (lacking.length > 0) {
    const names = lacking.map(({ path, sha256 }) => `${path} (SHA-256 ${sha256.slice(0, 12)}…)`);
    throw new Error(`${folder} does not hold ${names.join(", ")}`);
  }
  return found;
}
