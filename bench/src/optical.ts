import { randomUUID } from "node:crypto";
import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import type { OpticalChain } from "@hindglance/core/chain/optical/steps";
import { type Bench, bytes, call, ended, megabytes, memoryTable, send, upload } from "./server";

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

const overview = async ({ base }: Bench, node: Node): Promise<void> => {
  const level = Math.max(0, node.levels - 3);
  await bytes(base, `/nodes/${node.hash}/tiles/${level}/0/0`);
};

/** Sends the bands and their metadata as one folder; the id of what was uploaded. */
async function sendBands(bench: Bench, folder: string): Promise<string> {
  const files = readdirSync(folder).filter((file) => /\.(TIF|txt)$/.test(file));
  const id = randomUUID();
  const from = performance.now();
  for (const file of files) {
    const place = `name=${file}&folder=${id}&path=${file}`;
    await send(`${bench.base}/api/studies/${bench.study}/uploads?${place}`, join(folder, file));
  }
  const uploaded = await call<{ id: string }>(
    bench.base,
    "POST",
    `/studies/${bench.study}/folders/${id}`,
  );
  const sizes = files.map((file) => statSync(join(folder, file)).size);
  bench.line("upload of the bands", from, megabytes(sizes.reduce((sum, size) => sum + size, 0)));
  return uploaded.id;
}

/** Makes a scene of an upload and looks at it for the first time; the scene's id. */
async function takeIn(bench: Bench, what: string, uploadId: string, more: object): Promise<string> {
  const from = performance.now();
  const made = await call<{ scene: { id: string }; runId: string }>(
    bench.base,
    "POST",
    `/studies/${bench.study}/scenes`,
    { uploadId, ...more },
  );
  await ended(bench.base, made.runId);
  bench.line(`import of ${what}`, from);
  const seen = performance.now();
  await overview(bench, await call<Node>(bench.base, "GET", `/scenes/${made.scene.id}/node`));
  bench.line(`first picture of ${what}`, seen);
  return made.scene.id;
}

const put = ({ base, study }: Bench, { chain, exceptions, heldOut }: Prepare): Promise<Prepare> =>
  call(base, "PUT", `/studies/${study}/prepare?family=optical`, { chain, exceptions, heldOut });

/** Looks at a step after one of its settings changed: the overview, and a tile in full detail. */
async function look(
  bench: Bench,
  first: Prepare,
  sceneId: string,
  step: keyof OpticalChain,
  change: object,
  when: string,
): Promise<void> {
  const from = performance.now();
  const { chain } = first;
  await put(bench, { ...first, chain: { ...chain, [step]: { ...chain[step], ...change } } });
  const { output } = await call<{ output: Node }>(
    bench.base,
    "POST",
    `/studies/${bench.study}/prepare/nodes?family=optical`,
    { sceneId, step },
  );
  const said = performance.now();
  await overview(bench, output);
  const over = performance.now();
  const { width, height } = output.info.grid;
  const middle = `${Math.floor(height / 1024)}/${Math.floor(width / 1024)}`;
  await bytes(bench.base, `/nodes/${output.hash}/tiles/0/${middle}`);
  bench.line(
    `preview of ${step} ${when}`,
    from,
    `setting ${(said - from).toFixed(0)} ms, overview tile ${(over - said).toFixed(0)} ms, full-detail tile ${(performance.now() - over).toFixed(0)} ms`,
  );
}

/** Previews of each step, then the whole chain. */
async function prepareBands(bench: Bench, sceneId: string): Promise<void> {
  const { base, study } = bench;
  const first = await call<Prepare>(base, "GET", `/studies/${study}/prepare?family=optical`);
  for (const [step, change] of CHANGES) {
    if (FIRST[step]) {
      await look(bench, first, sceneId, step, FIRST[step], "looked at for the first time");
    }
    await look(bench, first, sceneId, step, change, "after a changed setting");
  }
  await put(bench, first);
  const from = performance.now();
  const run = await call<{ runId: string }>(
    base,
    "POST",
    `/studies/${study}/prepare/runs?family=optical`,
    {},
  );
  await ended(base, run.runId);
  const { width, height } = first.chain.grid.grid;
  bench.line(
    "whole chain: mask, reflectance, dark object, indices",
    from,
    `${width} x ${height} cells, ${7 + 1 + first.chain.indices.outputs.length} bands`,
  );
}

async function takeGranuleBand(bench: Bench, folder: string, name: string): Promise<void> {
  const from = performance.now();
  const uploaded = await upload(bench.base, bench.study, join(folder, name), name);
  bench.line("upload of the JPEG 2000 band", from, megabytes(statSync(join(folder, name)).size));
  await takeIn(bench, "the JPEG 2000 band", uploaded.id, {
    kind: "other",
    acquiredAt: "2025-01-22T00:00:00Z",
  });
}

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
  const bench: Bench = { base, study: study.id, line };
  try {
    const uploadId = await sendBands(bench, folder);
    const sceneId = await takeIn(bench, "the bands", uploadId, { kind: "optical" });
    await prepareBands(bench, sceneId);
    const jp2 = readdirSync(folder).find((file) => file.endsWith(".jp2"));
    if (jp2) {
      await takeGranuleBand(bench, folder, jp2);
    }
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
