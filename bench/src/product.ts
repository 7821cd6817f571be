import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import type { RadarChain } from "@hindglance/core/chain/radar/steps";
import { bytes, call, ended, memoryTable, upload } from "./server";

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

/**
 * Takes the full-size product of a folder through a running server: import, the first preview tile
 * of each step after a changed setting, the
 * whole chain. Prints the time of each and the largest memory of a worker. The study it makes is
 * deleted at the end.
 */
export async function measureProduct(base: string, folder: string): Promise<void> {
  const { line, stop } = memoryTable();
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large product ${Date.now()}`,
    hazard: "flood",
  });
  try {
    for (const name of readdirSync(folder)
      .filter((file) => /\.(tif|EOF|zip)$/.test(file))
      .sort((a, b) => Number(a.endsWith(".zip")) - Number(b.endsWith(".zip")))) {
      let t = performance.now();
      const uploaded = await upload(base, study.id, join(folder, name), name);
      if (name.endsWith(".EOF")) {
        continue;
      }
      line(
        `upload ${name.slice(0, 40)}`,
        t,
        `${Math.round(statSync(join(folder, name)).size / 1e6)} MB`,
      );
      t = performance.now();
      const s = await call<{ scene: { id: string }; runId: string }>(
        base,
        "POST",
        `/studies/${study.id}/scenes`,
        { uploadId: uploaded.id, kind: uploaded.detail.kind },
      );
      await ended(base, s.runId);
      line("import", t);
    }
    const put = (prepare: Prepare) =>
      call<Prepare>(base, "PUT", `/studies/${study.id}/prepare?family=radar`, {
        chain: prepare.chain,
        exceptions: prepare.exceptions,
        heldOut: prepare.heldOut,
      });
    let prepare = await call<Prepare>(base, "GET", `/studies/${study.id}/prepare?family=radar`);
    const sceneId = prepare.rows[0]!.sceneId;
    const first = prepare;
    for (const [step, change] of CHANGES) {
      const t = performance.now();
      prepare = await put({
        ...first,
        chain: { ...first.chain, [step]: { ...first.chain[step], ...change(first.chain) } },
      });
      const n = await call<{
        output: { hash: string; levels: number; info: { grid: { width: number; height: number } } };
      }>(base, "POST", `/studies/${study.id}/prepare/nodes?family=radar`, { sceneId, step });
      // The overview that fits the screen, and one tile in full detail in the middle.
      const level = Math.min(n.output.levels - 1, 4);
      const row = Math.floor(n.output.info.grid.height / 2 ** level / 1024);
      const col = Math.floor(n.output.info.grid.width / 2 ** level / 1024);
      const said = performance.now();
      await bytes(base, `/nodes/${n.output.hash}/tiles/${level}/${row}/${col}`);
      const over = performance.now();
      await bytes(
        base,
        `/nodes/${n.output.hash}/tiles/0/${Math.floor(n.output.info.grid.height / 1024)}/${Math.floor(n.output.info.grid.width / 1024)}`,
      );
      line(
        `preview of ${step} after a changed setting`,
        t,
        `setting ${(said - t).toFixed(0)} ms, overview tile ${(over - said).toFixed(0)} ms, full-detail tile ${(performance.now() - over).toFixed(0)} ms`,
      );
    }
    const grid = first.chain.terrain.grid;
    const m = grid.transform[1];
    const k = 20 / m;
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
    prepare = await put({ ...first, chain });
    const t = performance.now();
    const r = await call<{ runId: string }>(
      base,
      "POST",
      `/studies/${study.id}/prepare/runs?family=radar`,
      {},
    );
    const coarse = prepare.chain.terrain.grid;
    await ended(base, r.runId);
    line(
      "whole chain: orbit, noise, beta nought, 2 x 2 looks, flatten, terrain to 20 m with incidence and hidden cells",
      t,
      `${coarse.width} x ${coarse.height} cells, 4 bands`,
    );
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
