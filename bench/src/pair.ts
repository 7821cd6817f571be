import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { emptySetup, initialRules, type PairHistograms } from "@hindglance/core/change/defaults";
import { bytes, call, ended, memoryMB, upload } from "./server";

/**
 * Takes the two files of a folder through a running server: import, first preview tile, histograms,
 * exact areas, change map
 * with a minimum patch, tally, files. Prints the time of each and the largest memory of all the
 * server's processes together.
 * @param base address of a server on this machine; the study it makes is deleted at the end
 */
export async function measurePair(base: string, folder: string): Promise<void> {
  let peak = 0;
  const watch = setInterval(() => {
    peak = Math.max(peak, memoryMB().all);
  }, 200);
  const line = (what: string, from: number, more = "") =>
    console.log(
      `| ${what} | ${((performance.now() - from) / 1000).toFixed(2)} | ${Math.round(peak)} | ${more} |`,
    );
  console.log(
    "| work | seconds | peak memory of the server so far, MB | |\n| --- | ---: | ---: | --- |",
  );
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large pair ${Date.now()}`,
    hazard: "flood",
    eventAt: "2025-05-12T05:20:00Z",
  });
  try {
    const scenes: string[] = [];
    for (const name of readdirSync(folder)
      .filter((file) => file.endsWith(".tif"))
      .sort()) {
      let t = performance.now();
      const uploaded = await upload(base, study.id, join(folder, name), name);
      line(`upload ${name}`, t, `${Math.round(statSync(join(folder, name)).size / 1e6)} MB`);
      t = performance.now();
      const s = await call<{ scene: { id: string }; runId: string }>(
        base,
        "POST",
        `/studies/${study.id}/scenes`,
        {
          uploadId: uploaded.id,
          kind: uploaded.detail.kind,
          name,
          acquiredAt: uploaded.detail.acquiredAt,
        },
      );
      await ended(base, s.runId);
      line("import", t);
      scenes.push(s.scene.id);
    }
    const pair = { beforeId: scenes[0]!, afterId: scenes[1]! };
    let setup: ChangeSetup = {
      ...emptySetup({ looks: 4.4, hasStudyArea: false, hasElevation: false }),
      speckle: { filter: "refinedLee", windowCells: 7, looks: 4.4 },
    };
    let t = performance.now();
    const pairHistograms = await call<PairHistograms>(
      base,
      "POST",
      `/studies/${study.id}/compare/histograms`,
      {
        ...pair,
        setup,
      },
    );
    line("histograms of before, after and measure, and suggestions", t);
    setup = { ...setup, rules: initialRules(pairHistograms) };
    for (const looks of [4.4, 5.1]) {
      // A setup never asked before: nothing of it is in any cache. The overview, then a tile in
      // full detail.
      const fresh: ChangeSetup = { ...setup, speckle: { ...setup.speckle, looks: looks + 0.01 } };
      for (const level of [3, 0]) {
        t = performance.now();
        const n = await call<{ stack: { hash: string } }>(
          base,
          "POST",
          `/studies/${study.id}/compare/nodes`,
          { ...pair, setup: fresh },
        );
        await bytes(base, `/nodes/${n.stack.hash}/tiles/${level}/1/1`);
        line(`first preview tile, level ${level}, after a new parameter`, t);
      }
    }
    t = performance.now();
    const areas = await call<{ runId?: string }>(
      base,
      "POST",
      `/studies/${study.id}/compare/areas`,
      { ...pair, setup },
    );
    if (areas.runId) {
      await ended(base, areas.runId);
    }
    line("exact areas", t);
    t = performance.now();
    const map = await call<{ runId: string }>(base, "POST", `/studies/${study.id}/change-maps`, {
      ...pair,
      setup,
      name: "Large",
    });
    await ended(base, map.runId);
    line("change map with minimum patch, pyramid and tally", t);
    const id = (await call<{ id: string }[]>(base, "GET", `/studies/${study.id}/change-maps`))[0]!
      .id;
    for (const format of ["cog", "geojson", "csv"]) {
      t = performance.now();
      const file = await call<{ runId: string }>(base, "POST", `/change-maps/${id}/files`, {
        format,
      });
      await ended(base, file.runId);
      line(`file: ${format}`, t);
    }
  } finally {
    clearInterval(watch);
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
