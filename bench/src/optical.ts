import { randomUUID } from "node:crypto";
import { createReadStream, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { Readable } from "node:stream";
import type { OpticalChain } from "@hindglance/core/chain/optical/steps";
import { bytes, call, ended, memoryTable, upload } from "./server";

interface Prepare {
  chain: OpticalChain;
  exceptions: object;
  heldOut: string[];
  rows: { sceneId: string }[];
}
interface Node {
  hash: string;
  levels: number;
  info: { grid: { width: number; height: number } };
}
/**
 * Steps as they are looked at first, where that differs from the proposal; then one change of a
 * setting for each, whose preview is measured.
 */
const FIRST: Partial<Record<keyof OpticalChain, object>> = {
  haze: { on: true, strength: 1 },
  surface: { on: true, method: "darkObject" },
};
const CHANGES: [keyof OpticalChain, object][] = [
  ["mask", { growCells: 3 }],
  ["gaps", { on: true, sceneId: null, masked: false }],
  ["haze", { on: true, strength: 0.9 }],
  ["surface", { method: "cost" }],
  ["indices", { outputs: [{ name: "NDVI", formula: "(nir - red) / (nir + red)" }] }],
];

/**
 * Takes the full-size optical scene and the JPEG 2000 band of a folder through a running server,
 * and prints times and memory. The study it makes is deleted at the end.
 */
export async function measureOptical(base: string, folder: string): Promise<void> {
  const { line, stop } = memoryTable();
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large optical ${Date.now()}`,
    hazard: "fire",
  });
  const overview = async (node: Node) => {
    const level = Math.max(0, node.levels - 3);
    await bytes(base, `/nodes/${node.hash}/tiles/${level}/0/0`);
  };
  try {
    const files = readdirSync(folder).filter((file) => /\.(TIF|txt)$/.test(file));
    const id = randomUUID();
    let t = performance.now();
    for (const file of files) {
      const response = await fetch(
        `${base}/api/studies/${study.id}/uploads?name=${file}&folder=${id}&path=${file}`,
        {
          method: "POST",
          headers: {
            "content-type": "application/octet-stream",
            "content-length": String(statSync(join(folder, file)).size),
          },
          body: Readable.toWeb(
            createReadStream(join(folder, file), { highWaterMark: 1 << 20 }),
          ) as ReadableStream,
          duplex: "half",
        } as RequestInit,
      );
      if (!response.ok) {
        throw new Error(await response.text());
      }
    }
    const uploaded = await call<{ id: string }>(base, "POST", `/studies/${study.id}/folders/${id}`);
    line(
      "upload of the bands",
      t,
      `${Math.round(files.reduce((s, file) => s + statSync(join(folder, file)).size, 0) / 1e6)} MB`,
    );
    const take = async (what: string, uploadId: string, more: object): Promise<string> => {
      const from = performance.now();
      const s = await call<{ scene: { id: string }; runId: string }>(
        base,
        "POST",
        `/studies/${study.id}/scenes`,
        { uploadId, ...more },
      );
      await ended(base, s.runId);
      line(`import of ${what}`, from);
      const seen = performance.now();
      const node = await call<Node>(base, "GET", `/scenes/${s.scene.id}/node`);
      await overview(node);
      line(`first picture of ${what}`, seen);
      return s.scene.id;
    };
    const sceneId = await take("the bands", uploaded.id, { kind: "optical" });
    const put = (prepare: Prepare) =>
      call<Prepare>(base, "PUT", `/studies/${study.id}/prepare?family=optical`, {
        chain: prepare.chain,
        exceptions: prepare.exceptions,
        heldOut: prepare.heldOut,
      });
    const first = await call<Prepare>(base, "GET", `/studies/${study.id}/prepare?family=optical`);
    const look = async (step: keyof OpticalChain, change: object, name: string) => {
      t = performance.now();
      await put({
        ...first,
        chain: { ...first.chain, [step]: { ...first.chain[step], ...change } },
      });
      const { output } = await call<{ output: Node }>(
        base,
        "POST",
        `/studies/${study.id}/prepare/nodes?family=optical`,
        { sceneId, step },
      );
      const said = performance.now();
      await overview(output);
      const over = performance.now();
      await bytes(
        base,
        `/nodes/${output.hash}/tiles/0/${Math.floor(output.info.grid.height / 1024)}/${Math.floor(output.info.grid.width / 1024)}`,
      );
      line(
        `preview of ${step} ${name}`,
        t,
        `setting ${(said - t).toFixed(0)} ms, overview tile ${(over - said).toFixed(0)} ms, full-detail tile ${(performance.now() - over).toFixed(0)} ms`,
      );
    };
    for (const [step, change] of CHANGES) {
      if (FIRST[step]) {
        await look(step, FIRST[step], "looked at for the first time");
      }
      await look(step, change, "after a changed setting");
    }
    await put(first);
    t = performance.now();
    const r = await call<{ runId: string }>(
      base,
      "POST",
      `/studies/${study.id}/prepare/runs?family=optical`,
      {},
    );
    await ended(base, r.runId);
    line(
      "whole chain: mask, reflectance, dark object, indices",
      t,
      `${first.chain.grid.grid.width} x ${first.chain.grid.grid.height} cells, ${7 + 1 + first.chain.indices.outputs.length} bands`,
    );
    t = performance.now();
    const jp2 = readdirSync(folder).find((file) => file.endsWith(".jp2"));
    if (!jp2) {
      return;
    }
    const j = await upload(base, study.id, join(folder, jp2), jp2);
    line(
      "upload of the JPEG 2000 band",
      t,
      `${Math.round(statSync(join(folder, jp2)).size / 1e6)} MB`,
    );
    await take("the JPEG 2000 band", j.id, { kind: "other", acquiredAt: "2025-01-22T00:00:00Z" });
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
