import { statSync } from "node:fs";
import { join } from "node:path";
import { randomUUID } from "node:crypto";
import {
  type ClassifySettings,
  EMPTY_CLASSIFY,
  type LegendClass,
  type TrainingArea,
} from "@hindglance/core/classify/settings";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import { toMap } from "@hindglance/core/grid/grid";
import {
  COVER,
  COVER_YEARS,
  coverFields,
  coverGrid,
  placeOfField,
} from "@hindglance/world/largeCover";
import { pairTable } from "./pair";
import { type Bench, bytes, call, ended, megabytes, upload } from "./server";

/** Areas that each class is trained on, and cells to each of their sides: some 100 000 in all. */
const AREAS = 20;
const AREA_SIDE = 25;

const LEGEND: LegendClass[] = Array.from({ length: COVER.classes }, (_v, k) => ({
  ...{ label: k + 1, name: `Class ${String.fromCharCode(65 + k)}`, note: "" },
  color: `#${((k + 1) * 0x1e3d5b).toString(16).slice(-6).padStart(6, "0")}`,
}));

const onto = ontoGlobe(coverGrid);

/** A square amid a field. */
function areaOf(field: number, label: number): TrainingArea {
  const { col, row, size } = placeOfField(field);
  const from = (size - AREA_SIDE) / 2;
  const corners = [
    [0, 0],
    [1, 0],
    [1, 1],
    [0, 1],
    [0, 0],
  ].map(([across, down]) =>
    onto(...toMap(coverGrid, col + from + across! * AREA_SIDE, row + from + down! * AREA_SIDE)),
  );
  return { label, sceneId: null, polygons: [[corners]] };
}

/** Areas of every class on ground that is the same on both dates, spread over the scene. */
function areas(seed: number): Record<string, TrainingArea> {
  const [before, after] = COVER_YEARS.map((year) => coverFields(seed, year));
  const all = LEGEND.flatMap(({ label }, k) => {
    const fields = [...before!.keys()].filter((at) => before![at] === k && after![at] === k);
    const every = Math.max(1, Math.floor(fields.length / AREAS));
    return fields
      .filter((_field, at) => at % every === 0)
      .slice(0, AREAS)
      .map((field) => [randomUUID(), areaOf(field, label)] as const);
  });
  return Object.fromEntries(all);
}

async function takeIn({ base, study, line }: Bench, folder: string): Promise<string[]> {
  const scenes: string[] = [];
  for (const year of COVER_YEARS) {
    const name = `cover_${year}.tif`;
    const from = performance.now();
    const { id } = await upload(base, study, join(folder, name), name);
    const made = await call<{ scene: { id: string }; runId: string }>(
      base,
      "POST",
      `/studies/${study}/scenes`,
      { uploadId: id, kind: "optical", name, acquiredAt: `${year}-01-22T13:00:00Z` },
    );
    await ended(base, made.runId);
    line(`upload and import ${name}`, from, megabytes(statSync(join(folder, name)).size));
    scenes.push(made.scene.id);
  }
  return scenes;
}

interface Trained {
  labels: { hash: string };
  check: { cells: number; right: number } | null;
  classes: { cells: number }[];
}

/** Training anew after one area more, and the first tiles of the map: in all and in full detail. */
async function redraw(bench: Bench, sceneId: string, seed: number): Promise<void> {
  const { base, study, line } = bench;
  const path = `/studies/${study}/classification`;
  const label = 1;
  const field = coverFields(seed, COVER_YEARS[1]).indexOf(label - 1);
  for (const level of [4, 0]) {
    const change = { op: "add", path: `/areas/${randomUUID()}`, value: areaOf(field, label) };
    const from = performance.now();
    await call(base, "PATCH", path, { changes: [change] });
    const { labels, classes, check } = await call<Trained>(base, "POST", `${path}/training`, {
      sceneId,
    });
    const cells = classes.reduce((sum, one) => sum + one.cells, 0);
    line(
      "an area more, trained anew",
      from,
      `${cells} cells, ${check!.right} of ${check!.cells} right`,
    );
    const asked = performance.now();
    await bytes(base, `/nodes/${labels.hash}/tiles/${level}/0/0`);
    line(`first tile of its classes, level ${level}`, asked);
  }
}

/** Both maps, and what became of what. */
async function mapBoth(bench: Bench, sceneIds: string[]): Promise<void> {
  const { base, study, line } = bench;
  const from = performance.now();
  const { scenes } = await call<{ scenes: { sceneId: string; runId: string }[] }>(
    base,
    "POST",
    `/studies/${study}/classification/maps`,
    { sceneIds },
  );
  for (const { runId } of scenes) {
    await ended(base, runId);
  }
  line("both dates classified and written", from);
  const counted = performance.now();
  const classes = LEGEND.map(({ label, name, color }) => ({
    ...{ name, color, before: [label], after: [label] },
  }));
  const { runId } = await call<{ runId?: string }>(base, "POST", `/studies/${study}/from-to`, {
    ...{ beforeId: scenes[0]!.sceneId, afterId: scenes[1]!.sceneId, classes },
  });
  if (runId) {
    await ended(base, runId);
  }
  line("what became of what", counted);
}

/**
 * Takes two dates of seven bands through a running server: import, training by each method, first
 * tiles after a change, both maps and what became of what.
 * @param base address of a server on this machine; the study it makes is deleted at the end
 */
export async function measureCover(base: string, folder: string, seed = 27): Promise<void> {
  const { line, stop } = pairTable();
  const study = await call<{ id: string }>(base, "POST", "/studies", {
    name: `Large cover ${Date.now()}`,
    hazard: "land cover",
  });
  const bench: Bench = { base, study: study.id, line };
  try {
    const scenes = await takeIn(bench, folder);
    for (const method of ["likelihood", "forest"] as const) {
      const settings: ClassifySettings = {
        ...{ ...EMPTY_CLASSIFY, legend: LEGEND, areas: areas(seed), method },
      };
      await call(base, "PATCH", `/studies/${study.id}/classification`, {
        changes: [{ op: "replace", path: "", value: settings }],
      });
      const named: Bench = {
        ...bench,
        line: (what, ...rest) => line(`${method}: ${what}`, ...rest),
      };
      await redraw(named, scenes[1]!, seed);
      await mapBoth(named, scenes);
    }
  } finally {
    stop();
    await call(base, "DELETE", `/studies/${study.id}`);
  }
}
