import { readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { emptySetup } from "@hindglance/core/change/defaults";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { type Bench, bytes, call, ended, megabytes, memoryMB, upload } from "./server";

interface Pair {
  beforeId: string;
  afterId: string;
}

/** A table of times, with the largest memory of all the server's processes together. */
export function pairTable(): { line: Bench["line"]; stop(): void } {
  let peak = 0;
  const watch = setInterval(() => {
    peak = Math.max(peak, memoryMB().all);
  }, 200);
  console.log(
    "| work | seconds | peak memory of the server so far, MB | |\n| --- | ---: | ---: | --- |",
  );
  return {
    line(what, from, more = "") {
      const seconds = ((performance.now() - from) / 1000).toFixed(2);
      console.log(`| ${what} | ${seconds} | ${Math.round(peak)} | ${more} |`);
    },
    stop: () => clearInterval(watch),
  };
}

/** Makes scenes of the files of a folder; the first two are the pair. */
async function takeIn({ base, study, line }: Bench, folder: string): Promise<Pair> {
  const names = readdirSync(folder).filter((file) => file.endsWith(".tif"));
  const scenes: string[] = [];
  for (const name of names.sort()) {
    const sent = performance.now();
    const uploaded = await upload(base, study, join(folder, name), name);
    line(`upload ${name}`, sent, megabytes(statSync(join(folder, name)).size));
    const from = performance.now();
    const { kind, acquiredAt } = uploaded.detail;
    const made = await call<{ scene: { id: string }; runId: string }>(
      base,
      "POST",
      `/studies/${study}/scenes`,
      { uploadId: uploaded.id, kind, name, acquiredAt },
    );
    await ended(base, made.runId);
    line("import", from);
    scenes.push(made.scene.id);
  }
  return { beforeId: scenes[0]!, afterId: scenes[1]! };
}

/** Settings as they are suggested for the pair. */
async function suggestedSetup({ base, study, line }: Bench, pair: Pair): Promise<ChangeSetup> {
  const setup: ChangeSetup = {
    ...emptySetup({ looks: 4.4, hasStudyArea: false, hasElevation: false }),
    speckle: { filter: "refinedLee", windowCells: 7, looks: 4.4 },
  };
  const from = performance.now();
  await call(base, "POST", `/studies/${study}/compare/histograms`, { ...pair, setup });
  line("histograms of before, after and measure, and suggestions", from);
  const asked = performance.now();
  const path = `/studies/${study}/compare/first-map`;
  const first = await call<FirstMap>(base, "POST", path, { ...pair, setup });
  line("first map, with what it rests on", asked);
  return withFirstMap(setup, first);
}

/**
 * First tiles of settings never asked for before, so that nothing of them is in any cache: the
 * overview, then a tile in full detail.
 */
async function firstTiles(bench: Bench, pair: Pair, setup: ChangeSetup): Promise<void> {
  const { base, study, line } = bench;
  for (const looks of [4.41, 5.11]) {
    const fresh: ChangeSetup = { ...setup, speckle: { ...setup.speckle, looks } };
    for (const level of [3, 0]) {
      const from = performance.now();
      const { stack } = await call<{ stack: { hash: string } }>(
        base,
        "POST",
        `/studies/${study}/compare/nodes`,
        { ...pair, setup: fresh },
      );
      await bytes(base, `/nodes/${stack.hash}/tiles/${level}/1/1`);
      line(`first preview tile, level ${level}, after a new parameter`, from);
    }
  }
}

async function exactAreas(bench: Bench, pair: Pair, setup: ChangeSetup): Promise<void> {
  const { base, study, line } = bench;
  const from = performance.now();
  const areas = await call<{ runId?: string }>(base, "POST", `/studies/${study}/compare/areas`, {
    ...pair,
    setup,
  });
  if (areas.runId) {
    await ended(base, areas.runId);
  }
  line("exact areas", from);
}

/** A change map, and its files. */
async function writeMap(bench: Bench, pair: Pair, setup: ChangeSetup): Promise<void> {
  const { base, study, line } = bench;
  const from = performance.now();
  const map = await call<{ runId: string }>(base, "POST", `/studies/${study}/change-maps`, {
    ...pair,
    setup,
    name: "Large",
  });
  await ended(base, map.runId);
  line("change map with minimum patch, pyramid and tally", from);
  await doubtOfNewest(bench, "doubt of every cell and patch");
  const maps = await call<{ id: string }[]>(base, "GET", `/studies/${study}/change-maps`);
  for (const format of ["cog", "geojson", "csv"]) {
    const asked = performance.now();
    const file = await call<{ runId: string }>(base, "POST", `/change-maps/${maps[0]!.id}/files`, {
      format,
    });
    await ended(base, file.runId);
    line(`file: ${format}`, asked);
  }
}

/** Waits for the doubt of the map that was written last. */
async function doubtOfNewest({ base, study, line }: Bench, what: string): Promise<void> {
  const from = performance.now();
  const runs = await call<{ id: string; title: string }[]>(base, "GET", `/runs?study=${study}`);
  const doubt = runs.find(({ title }) => title.startsWith("Doubt of"));
  if (doubt) {
    await ended(base, doubt.id);
    line(what, from);
  }
}

/** Edits of the map: a patch is drawn, another renamed, and the edited map is written. */
async function editMap(bench: Bench): Promise<void> {
  const { base, study, line } = bench;
  const [map] = await call<{ id: string }[]>(base, "GET", `/studies/${study}/change-maps`);
  const path = `/change-maps/${map!.id}/edits`;
  const [least, most] = [4000, 4400];
  const ring = [
    [least, least],
    [most, least],
    [most, most],
    [least, most],
    [least, least],
  ];
  const manner = { isSnapped: true, isTaking: true };
  const edits = [
    { kind: "draw", label: 1, polygons: [[ring]] },
    { kind: "relabel", numbers: [1], label: 2 },
  ];
  for (const edit of edits) {
    const from = performance.now();
    const body = { key: crypto.randomUUID(), editor: "Bench", edit: { ...edit, ...manner } };
    await call(base, "POST", path, body);
    line(`edit: ${edit.kind}`, from);
  }
  const from = performance.now();
  const { runId } = await call<{ runId: string }>(base, "POST", `${path}/map`, { name: "Edited" });
  await ended(base, runId);
  line("edited map with pyramid, tally and patches", from);
  await doubtOfNewest(bench, "doubt of the edited map");
}

/**
 * Takes the two files of a folder through a running server: import, first preview tile, histograms,
 * exact areas, change map with a minimum patch, tally, files, edits and the edited map. Prints the time of each and the
 * largest memory of all the server's processes together.
 * @param base address of a server on this machine; the study it makes is deleted at the end
 */
export async function measurePair(base: string, folder: string): Promise<void> {
  const { line, stop } = pairTable();
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large pair ${Date.now()}`,
    hazard: "flood",
    eventAt: "2025-05-12T05:20:00Z",
  });
  const bench: Bench = { base, study: study.id, line };
  try {
    const pair = await takeIn(bench, folder);
    const setup = await suggestedSetup(bench, pair);
    await firstTiles(bench, pair, setup);
    await exactAreas(bench, pair, setup);
    await writeMap(bench, pair, setup);
    await editMap(bench);
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
