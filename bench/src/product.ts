import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import type { RadarChain } from "@hindglance/core/chain/radar/steps";
import { type Bench, bytes, call, ended, megabytes, memoryTable, upload } from "./server";

interface Prepare {
  chain: RadarChain;
  exceptions: object;
  heldOut: string[];
  rows: { sceneId: string }[];
}
/** One change of a setting for each step whose preview is measured. */
const CHANGES: [keyof RadarChain, (radarChain: RadarChain) => object][] = [
  ["calibrate", (radarChain) => ({ to: radarChain.calibrate.to === "beta" ? "sigma" : "beta" })],
  ["looks", () => ({ on: true, rangeLooks: 2, azimuthLooks: 2 })],
  ["speckle", () => ({ on: true, filter: "refinedLee" })],
  ["flatten", () => ({ outside: "nodata" })],
  ["terrain", () => ({ outside: "nodata" })],
];

/** Sends the files of a folder, orbits and elevation first, and makes scenes of them. */
async function takeIn({ base, study, line }: Bench, folder: string): Promise<void> {
  const names = readdirSync(folder)
    .filter((file) => /\.(tif|EOF|zip)$/.test(file))
    .sort((a, b) => Number(a.endsWith(".zip")) - Number(b.endsWith(".zip")));
  for (const name of names) {
    const sent = performance.now();
    const uploaded = await upload(base, study, join(folder, name), name);
    if (name.endsWith(".EOF")) {
      continue;
    }
    line(`upload ${name.slice(0, 40)}`, sent, megabytes(statSync(join(folder, name)).size));
    const from = performance.now();
    const made = await call<{ runId: string }>(base, "POST", `/studies/${study}/scenes`, {
      uploadId: uploaded.id,
      kind: uploaded.detail.kind,
    });
    await ended(base, made.runId);
    line("import", from);
  }
}

const put = ({ base, study }: Bench, { chain, exceptions, heldOut }: Prepare): Promise<Prepare> =>
  call(base, "PUT", `/studies/${study}/prepare?family=radar`, { chain, exceptions, heldOut });

/** The overview that fits the screen, and one tile in full detail in the middle, of a step. */
async function look(
  bench: Bench,
  first: Prepare,
  step: keyof RadarChain,
  change: object,
): Promise<void> {
  const { base, study } = bench;
  const from = performance.now();
  const { chain } = first;
  await put(bench, { ...first, chain: { ...chain, [step]: { ...chain[step], ...change } } });
  const { output } = await call<{
    output: { hash: string; levels: number; info: { grid: { width: number; height: number } } };
  }>(base, "POST", `/studies/${study}/prepare/nodes?family=radar`, {
    sceneId: first.rows[0]!.sceneId,
    step,
  });
  const { width, height } = output.info.grid;
  const place = (cells: number, level: number) => Math.floor(cells / 2 ** level / 1024);
  const tile = (level: number) =>
    bytes(
      base,
      `/nodes/${output.hash}/tiles/${level}/${place(height, level)}/${place(width, level)}`,
    );
  const said = performance.now();
  await tile(Math.min(output.levels - 1, 4));
  const over = performance.now();
  await tile(0);
  bench.line(
    `preview of ${step} after a changed setting`,
    from,
    `setting ${(said - from).toFixed(0)} ms, overview tile ${(over - said).toFixed(0)} ms, full-detail tile ${(performance.now() - over).toFixed(0)} ms`,
  );
}

/** The whole chain with 2 x 2 looks on a grid of 20 m. */
async function prepareProduct(bench: Bench, first: Prepare): Promise<void> {
  const { base, study } = bench;
  const grid = first.chain.terrain.grid;
  const k = 20 / grid.transform[1];
  const chain: RadarChain = {
    ...first.chain,
    looks: { on: true, rangeLooks: 2, azimuthLooks: 2 },
    terrain: {
      ...first.chain.terrain,
      grid: {
        ...grid,
        transform: [grid.transform[0], 20, 0, grid.transform[3], 0, -20],
        width: Math.ceil(grid.width / k),
        height: Math.ceil(grid.height / k),
      },
    },
  };
  const coarse = (await put(bench, { ...first, chain })).chain.terrain.grid;
  const from = performance.now();
  const run = await call<{ runId: string }>(
    base,
    "POST",
    `/studies/${study}/prepare/runs?family=radar`,
    {},
  );
  await ended(base, run.runId);
  bench.line(
    "whole chain: orbit, noise, beta nought, 2 x 2 looks, flatten, terrain to 20 m with incidence and hidden cells",
    from,
    `${coarse.width} x ${coarse.height} cells, 4 bands`,
  );
}

/**
 * Takes the full-size product of a folder through a running server: import, the first preview tile
 * of each step after a changed setting, the whole chain. Prints the time of each and the largest
 * memory of a worker. The study it makes is deleted at the end.
 */
export async function measureProduct(base: string, folder: string): Promise<void> {
  const { line, stop } = memoryTable();
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large product ${Date.now()}`,
    hazard: "flood",
  });
  const bench: Bench = { base, study: study.id, line };
  try {
    await takeIn(bench, folder);
    const first = await call<Prepare>(base, "GET", `/studies/${study.id}/prepare?family=radar`);
    for (const [step, change] of CHANGES) {
      await look(bench, first, step, change(first.chain));
    }
    await prepareProduct(bench, first);
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
