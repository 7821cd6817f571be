import { dayYear } from "@hindglance/core/text/time";
import { randomUUID } from "node:crypto";
import { existsSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { emptySetup, emptyValueSetup } from "@hindglance/core/change/defaults";
import {
  type ClassifySettings,
  EMPTY_CLASSIFY,
  type TrainingArea,
} from "@hindglance/core/classify/settings";
import { LEGEND } from "./landCover";
import { HELIO_BANDS } from "./optical/ground";
import { FILES } from "./names";
import { orbitFile, productFile } from "./products";
import { PASSES } from "./mission";
import { FIRE_SCENES, type HelioScene, SCENES, helioFiles } from "./optical/helio";
import { endWithStarter, toldStarter } from "./starter";
import { writeWorld } from "./write";

// Makes the demo files if they are not there, and imports them into a server that has no study,
// through the API that a page uses. An import that was interrupted is taken back and made anew.
const base = process.argv[2] ?? "http://127.0.0.1:5170";
const folder = process.argv[3] ?? "data/demo";
const SEED = 27;
const EDITION = 9;

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const raw = body instanceof Uint8Array;
  const response = await fetch(`${base}/api${path}`, {
    method,
    headers: raw
      ? { "content-type": "application/octet-stream" }
      : { "content-type": "application/json" },
    body: raw ? new Uint8Array(body) : JSON.stringify(body),
  });
  const text = await response.text();
  if (!response.ok) {
    throw new Error(`${method} ${path}: ${response.status} ${text}`);
  }
  return readAs<T>(text || "null");
}

/** What a text of JSON holds, as it is known to be. */
const readAs = <T>(text: string): T => JSON.parse(text) as T;
/** What a file of the demo holds. */
const fileAs = <T>(file: string): T => readAs<T>(readFileSync(join(folder, file), "utf8"));

async function ended(run: string): Promise<void> {
  for (;;) {
    const r = await call<{ state: string; title: string; error: { message: string } | null }>(
      "GET",
      `/runs/${run}`,
    );
    if (r.state === "done") {
      return;
    }
    if (r.state !== "running") {
      throw new Error(`${r.title}: ${r.error?.message ?? r.state}`);
    }
    await new Promise((ok) => setTimeout(ok, 150));
  }
}

interface Upload {
  id: string;
  detail: { kind: string; acquiredAt: string | null };
}
const upload = (study: string, file: string) =>
  call<Upload>(
    "POST",
    `/studies/${study}/uploads?name=${encodeURIComponent(file)}`,
    new Uint8Array(readFileSync(join(folder, file))),
  );

/** Says that an import has begun and not ended: what it made since then is half. */
const HALF = join(folder, "importing.json");

interface DemoStudy {
  name: string;
  hazard: string;
  eventAt: string | null;
  studyArea: object;
}

interface Half {
  at: string;
  names: string[];
}

/** Begins a study of the demo, so that it can be found where the import ends here. */
async function beginStudy(facts: DemoStudy): Promise<{ id: string }> {
  const former = existsSync(HALF) ? readAs<Half>(readFileSync(HALF, "utf8")) : null;
  const half: Half = {
    at: former?.at ?? new Date().toISOString(),
    names: [...(former?.names ?? []), facts.name],
  };
  writeFileSync(HALF, JSON.stringify(half));
  return call("POST", "/studies", facts);
}

/** Deletes what an interrupted import made; whether there was one. */
async function takeBackHalf(): Promise<boolean> {
  if (!existsSync(HALF)) {
    return false;
  }
  const { at, names } = readAs<Half>(readFileSync(HALF, "utf8"));
  const studies = await call<{ id: string; name: string; createdAt: string }[]>("GET", "/studies");
  for (const { id, name, createdAt } of studies) {
    if (names.includes(name) && createdAt >= at) {
      await call("DELETE", `/studies/${id}`);
    }
  }
  rmSync(HALF);
  return true;
}

const helioTitle = ({ date, frame }: HelioScene): string =>
  [`HELIO2, ${dayYear(date.time)}`, frame].filter(Boolean).join(", ");
interface OpticalPrepare {
  chain: { mask: object; gaps: object; haze: object; mosaic: object };
  exceptions: Record<string, object>;
  heldOut: string[];
}

/** Begins to import optical scenes, band by band; gives the scenes' ids and the runs. */
async function beginOptical(studyId: string, helioScenes: readonly HelioScene[]) {
  const runs: string[] = [];
  const ids = new Map<HelioScene, string>();
  for (const helioScene of helioScenes) {
    const id = randomUUID();
    for (const file of helioFiles(helioScene)) {
      await call(
        "POST",
        `/studies/${studyId}/uploads?name=${file}&folder=${id}&path=${file}`,
        new Uint8Array(readFileSync(join(folder, "optical", file))),
      );
    }
    const uploaded = await call<Upload>("POST", `/studies/${studyId}/folders/${id}`);
    const made = await call<{ scene: { id: string }; runId: string }>(
      "POST",
      `/studies/${studyId}/scenes`,
      { uploadId: uploaded.id, kind: "optical", name: helioTitle(helioScene) },
    );
    ids.set(helioScene, made.scene.id);
    runs.push(made.runId);
  }
  return { ids, runs };
}

/** Imports optical scenes and the elevation; gives the scenes' ids. */
async function importOptical(
  studyId: string,
  helioScenes: readonly HelioScene[],
): Promise<Map<HelioScene, string>> {
  const { ids, runs } = await beginOptical(studyId, helioScenes);
  const z = await upload(studyId, FILES.elevation);
  const elevation = { uploadId: z.id, kind: "elevation", name: "Elevation" };
  runs.push((await call<{ runId: string }>("POST", `/studies/${studyId}/scenes`, elevation)).runId);
  for (const run of runs) {
    await ended(run);
  }
  return ids;
}

/** Areas of the demo whose class of both years is known. */
function knownAreas(file: string) {
  const { features } = fileAs<{
    features: {
      properties: { class_2019: string; class_2025: string };
      geometry: { coordinates: [number, number][][] };
    }[];
  }>(file);
  const labelOf = (name: string) => LEGEND.findIndex((one) => one.name === name) + 1;
  return features.map(({ properties, geometry }) => ({
    labels: [labelOf(properties.class_2019), labelOf(properties.class_2025)] as const,
    polygons: [geometry.coordinates],
  }));
}

/** Areas for each date that they hold for: of ground that changed, one a date. */
function areasOfDates(sceneIds: readonly [then: string, now: string]): TrainingArea[] {
  const training = knownAreas(FILES.training).map(({ labels, polygons }): TrainingArea => ({
    label: labels[1],
    sceneId: null,
    polygons,
  }));
  const tests = knownAreas(FILES.testAreas).flatMap(({ labels, polygons }): TrainingArea[] =>
    labels[0] === labels[1]
      ? [{ label: labels[1], sceneId: null, isTest: true, polygons }]
      : sceneIds.map((sceneId, k) => ({ label: labels[k]!, sceneId, isTest: true, polygons })),
  );
  return [...training, ...tests];
}

/** Settings of a classification with the areas of the demo, to train on and to test on. */
function trainedSettings(sceneIds: readonly [then: string, now: string]): ClassifySettings {
  return {
    ...EMPTY_CLASSIFY,
    legend: LEGEND.map(({ name, color }, k) => ({ label: k + 1, name, color, note: "" })),
    inputs: HELIO_BANDS.map(({ id }) => `B${id}`),
    smooth: { majorityCells: 3, minPatchCells: 4, neighbours: 8 },
    areas: Object.fromEntries(areasOfDates(sceneIds).map((area) => [randomUUID(), area])),
  };
}

/** Land cover of the Quill Basin in 2019 and 2025: both dates prepared, trained on, and mapped. */
async function basinStudy(): Promise<void> {
  const study = await beginStudy({
    name: "Quill Basin",
    hazard: "land cover",
    eventAt: null,
    studyArea: fileAs<object>(FILES.basinArea),
  });
  const ids = await importOptical(study.id, [SCENES.old, SCENES.before]);
  const path = `/studies/${study.id}/prepare`;
  const prepare = await call<OpticalPrepare>("GET", `${path}?family=optical`);
  await call("PUT", `${path}?family=optical`, {
    chain: prepare.chain,
    exceptions: {},
    heldOut: [],
  });
  await ended((await call<{ runId: string }>("POST", `${path}/runs?family=optical`, {})).runId);
  await call("PATCH", `/studies/${study.id}/classification`, {
    changes: [
      {
        ...{ op: "replace", path: "" },
        value: trainedSettings([ids.get(SCENES.old)!, ids.get(SCENES.before)!]),
      },
    ],
  });
  const { scenes } = await call<{ scenes: { runId: string }[] }>(
    "POST",
    `/studies/${study.id}/classification/maps`,
    { sceneIds: [...ids.values()] },
  );
  for (const { runId } of scenes) {
    await ended(runId);
  }
}

/**
 * The heath fire on Tolm Ridge: optical bands as they are delivered, some with haze, scan gaps or
 * in two frames, and elevation; prepared to NBR.
 */
async function fireStudy(): Promise<void> {
  const study = await beginStudy({
    name: "Tolm Ridge fire",
    hazard: "fire",
    eventAt: "2025-02-03T14:00:00Z",
    studyArea: fileAs<object>(FILES.fireArea),
  });
  const ids = await importOptical(study.id, FIRE_SCENES);
  const path = `/studies/${study.id}/prepare`;
  const opticalPrepare = await call<OpticalPrepare>("GET", `${path}?family=optical`);
  const of = (helioScene: HelioScene) => ids.get(helioScene)!;
  // One setting for every date; haze and scan gaps only where they are.
  const exceptions = {
    [of(SCENES.hazy)]: { haze: { on: true } },
    [of(SCENES.gapped)]: { gaps: { on: true, sceneId: of(SCENES.before) } },
  };
  await call("PUT", `${path}?family=optical`, {
    chain: opticalPrepare.chain,
    exceptions,
    heldOut: [],
  });
  await ended((await call<{ runId: string }>("POST", `${path}/runs?family=optical`, {})).runId);
  // One date lies off by some cells: it is laid on the date before the fire.
  const moved = of(FIRE_SCENES.find((helioScene) => helioScene.moved)!);
  const { place } = await call<{ place: object }>("POST", `/studies/${study.id}/align/offset`, {
    referenceId: of(SCENES.before),
    sceneId: moved,
    band: "B5",
    model: "affine",
  });
  await call("PUT", `/studies/${study.id}/align/${moved}`, { place });
  await mapFire(study.id, { beforeId: of(SCENES.before), afterId: of(SCENES.after) });
}

/** Compares the dates before and after the fire, and writes the first map of it. */
async function mapFire(
  studyId: string,
  pair: { beforeId: string; afterId: string },
): Promise<void> {
  const side = (
    await call<{ sceneId: string; info: ImageInfo }[]>("GET", `/studies/${studyId}/compare/sides`)
  ).find((x) => x.sceneId === pair.beforeId)!;
  const start = emptyValueSetup(side.info.bands, { hazard: "fire", hasStudyArea: true });
  const first = await call<FirstMap>("POST", `/studies/${studyId}/compare/first-map`, {
    ...pair,
    setup: start,
  });
  const setup = withFirstMap(start, first);
  await call("PATCH", `/studies/${studyId}`, { compare: { ...pair, setup } });
  await ended(
    (
      await call<{ runId: string }>("POST", `/studies/${studyId}/change-maps`, {
        ...pair,
        setup,
        name: "Burn severity, first look",
      })
    ).runId,
  );
}

endWithStarter(toldStarter());
const wasHalf = await takeBackHalf();
if (wasHalf || (await call<unknown[]>("GET", "/studies")).length === 0) {
  const mark = join(folder, "made.json");
  const made = existsSync(mark)
    ? readAs<{ seed: number; edition?: number }>(readFileSync(mark, "utf8"))
    : null;
  if (made?.seed !== SEED || made.edition !== EDITION) {
    console.log("Making the demo data (about a minute, only once) …");
    await writeWorld(folder, SEED);
    writeFileSync(mark, JSON.stringify({ seed: SEED, edition: EDITION }));
  }
  console.log("Importing the demo data …");
  const study = await beginStudy({
    name: "Ombrel flood",
    hazard: "flood",
    eventAt: "2025-05-12T05:20:00Z",
    studyArea: fileAs<object>(FILES.studyArea),
  });
  const scenes: { scene: { id: string }; runId: string }[] = [];
  const add = async (file: string, name: string, said: object = {}) => {
    const uploaded = await upload(study.id, file);
    const s = await call<{ scene: { id: string }; runId: string }>(
      "POST",
      `/studies/${study.id}/scenes`,
      {
        uploadId: uploaded.id,
        ...(uploaded.detail.kind ? { kind: uploaded.detail.kind } : {}),
        ...said,
        name,
      },
    );
    scenes.push(s);
    return s.scene.id;
  };
  await add(FILES.elevation, "Elevation");
  const ids = new Map<string, string>();
  for (const pass of PASSES) {
    ids.set(
      pass.time,
      await add(
        productFile(pass),
        `LANTERN1, ${Number(pass.time.slice(8, 10))} ${pass.time.slice(5, 7) === "04" ? "April" : "May"}${pass.pass === "ascending" ? ", ascending" : ""}`,
      ),
    );
    const orbit = orbitFile(pass);
    if (orbit) {
      await upload(study.id, orbit);
    }
  }
  await add(FILES.population, "Population");
  await add(FILES.cover, "Land cover", { acquiredAt: "2025-04-15T12:00:00Z" });
  for (const [file, name] of [
    [FILES.roads, "Roads"],
    [FILES.places, "Places"],
  ] as const) {
    const { id } = await upload(study.id, file);
    const made = await call<{ id: string }>("POST", `/studies/${study.id}/overlays`, {
      ...{ uploadId: id, name, labelField: "name" },
    });
    // Maps are clearer without them; they are there to be shown, and to be counted.
    await call("PATCH", `/overlays/${made.id}`, { shown: false });
  }
  const zones = await upload(study.id, FILES.districts);
  await call("POST", `/studies/${study.id}/zones`, { uploadId: zones.id, name: "Districts" });
  for (const scene of scenes) {
    await ended(scene.runId);
  }
  console.log("Preparing the dates …");
  // The ascending pass stays out: slopes look otherwise from the other side.
  const prepare = await call<{ chain: object; exceptions: object }>(
    "GET",
    `/studies/${study.id}/prepare`,
  );
  await call("PUT", `/studies/${study.id}/prepare`, {
    chain: prepare.chain,
    exceptions: prepare.exceptions,
    heldOut: PASSES.filter((pass) => pass.pass === "ascending").map((pass) => ids.get(pass.time)),
  });
  const run = await call<{ runId: string }>("POST", `/studies/${study.id}/prepare/runs`, {});
  await ended(run.runId);
  const sceneOf = (day: string): string => [...ids].find(([t]) => t.startsWith(day))![1];
  const [before, after] = [sceneOf("2025-05-02"), sceneOf("2025-05-14")];
  const pair = { beforeId: before, afterId: after };
  const looks =
    (await call<{ id: string; looks: number[] }[]>("GET", `/studies/${study.id}/scenes`)).find(
      (s) => s.id === before,
    )!.looks[0] ?? null;
  const start = emptySetup({ looks, hasStudyArea: true, hasElevation: true });
  const first = await call<FirstMap>("POST", `/studies/${study.id}/compare/first-map`, {
    ...pair,
    setup: start,
  });
  const setup = withFirstMap(start, first);
  await call("PATCH", `/studies/${study.id}`, { compare: { ...pair, setup } });
  const { runId } = await call<{ runId: string }>("POST", `/studies/${study.id}/change-maps`, {
    ...pair,
    setup,
    name: "First look, suggested thresholds",
  });
  await ended(runId);
  await fireStudy();
  await basinStudy();
  rmSync(HALF);
  console.log("The demo studies are ready.");
}
