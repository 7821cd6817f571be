import { createHash } from "node:crypto";
import { mkdirSync, writeFileSync } from "node:fs";
import { open } from "node:fs/promises";
import { join } from "node:path";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { ServerClient } from "@hindglance/contract/client";
import type { RecipeRun } from "@hindglance/contract/recipes";
import { studyRoutes } from "@hindglance/contract/studies";

/** Bytes of an answer, as they come. */
async function* bytesOf(body: ReadableStream<Uint8Array>): AsyncGenerator<Uint8Array> {
  const reader = body.getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    yield part.value;
  }
}

/** Writes a file that the server made; gives its checksum. @throws Error where it does not come */
export async function fetchFile(client: ServerClient, id: string, path: string): Promise<string> {
  const response = await fetch(`${client.address}/api/files/${id}`);
  if (!response.ok || !response.body) {
    throw new Error(`The server does not give a file that it made (${response.status})`);
  }
  const hash = createHash("sha256");
  const file = await open(path, "w");
  try {
    for await (const part of bytesOf(response.body)) {
      hash.update(part);
      await file.write(part);
    }
  } finally {
    await file.close();
  }
  return hash.digest("hex");
}

/** What came of a run, for those who read it by machine. */
async function summaryOf(client: ServerClient, run: RecipeRun) {
  const { changeMapId } = run.made;
  const map = changeMapId
    ? await client.call(changeMapRoutes.find, { params: { id: changeMapId } })
    : null;
  return {
    state: run.state,
    lookFirst: run.lookFirst,
    before: run.before,
    after: run.after,
    map: map && {
      name: map.name,
      identity: map.nodeHash,
      patches: map.patchCount,
      areas: map.rows.map(({ zone, name, cells, areaM2 }) => ({
        zone,
        class: name,
        cells,
        areaM2,
      })),
    },
    log: run.log,
  };
}

const asText = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;

/**
 * Writes everything that came of a run into a folder: files, recipe, ledger, summary, and checksums of
 * all of them.
 */
export async function deliver(client: ServerClient, run: RecipeRun, folder: string): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const sums: string[] = [];
  for (const { id, name } of run.made.files) {
    sums.push(`${await fetchFile(client, id, join(folder, name))}  ${name}`);
  }
  const texts = {
    "recipe.json": asText(run.recipe),
    "ledger.json": asText(await client.call(studyRoutes.ledger, { params: { id: run.studyId } })),
    "summary.json": asText(await summaryOf(client, run)),
  };
  for (const [name, text] of Object.entries(texts)) {
    writeFileSync(join(folder, name), text);
    sums.push(`${createHash("sha256").update(text).digest("hex")}  ${name}`);
  }
  writeFileSync(join(folder, "SHA256SUMS"), `${sums.join("\n")}\n`);
}
