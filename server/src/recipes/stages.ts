import { Refused } from "@hindglance/contract/client";
import { alignRoutes } from "@hindglance/contract/align";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { compareRoutes } from "@hindglance/contract/compare";
import type { CompareHistograms, Side } from "@hindglance/contract/compare";
import type { RecipeStage } from "@hindglance/contract/recipes";
import { runRoutes } from "@hindglance/contract/runs";
import { sheetRoutes } from "@hindglance/contract/sheet";
import type { Scene } from "@hindglance/contract/scenes";
import { type Study, studyRoutes } from "@hindglance/contract/studies";
import { withClassesFound } from "@hindglance/core/change/classesFound";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapKind } from "@hindglance/core/change/firstMap/kind";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { setupBy } from "@hindglance/core/recipe/apply";
import { doubtsOf } from "@hindglance/core/recipe/doubts";
import { Tally } from "@hindglance/core/tally/tally";
import { number } from "@hindglance/core/text/number";
import type { KeptRecipeRun } from "../db/recipes";
import { AppError } from "../errors";
import { classified, transitionsFound } from "./classes";
import { prepared } from "./prepare";
import { type Stage, type StageContext, doubtful, pairIds, said, scenesOf } from "./stage";

/** Waits for everything of the study that is still being taken in. */
const imported: Stage = async ({ api, run }) => {
  const runs = await api.call(runRoutes.list, { query: { study: run.studyId } });
  const coming = runs.filter(
    ({ kind, state }) => state === "running" && /^(import|fetch|join|compute)/.test(kind),
  );
  return {
    waits: coming.map(({ id }) => id),
    lines: coming.length > 0 ? [said(`Waiting for ${coming.length} files that are taken in.`)] : [],
  };
};

/** Lays the later date on the earlier one, where the recipe says so. */
const aligned: Stage = async ({ api, run, signal }) => {
  const { recipe, studyId: id, beforeId, afterId } = run;
  if (!recipe.align) {
    return {};
  }
  const sides = await api.call(compareRoutes.sides, { params: { id } });
  const band = sides.find(({ sceneId }) => sceneId === beforeId)?.info?.bands[0]?.name ?? "";
  const body = { referenceId: beforeId, sceneId: afterId, band, model: recipe.align };
  const found = await api.call(alignRoutes.offset, { params: { id }, body }, signal);
  await api.call(alignRoutes.set, {
    ...{ params: { id, sceneId: afterId }, body: { place: found.place } },
  });
  return { lines: [said("The later date was laid on the earlier one.")] };
};

/** What of a date a comparison looks at. */
type Compared = Pick<Side, "info" | "looks">;

/** What the pair is compared as. @throws AppError with the reason why a date cannot be */
function requireSide(sides: readonly Side[], { id, name, kind, info }: Scene): Compared {
  if (kind === "classes" && info) {
    return { info, looks: null };
  }
  const side = sides.find(({ sceneId }) => sceneId === id);
  if (!side?.info || side.problem) {
    throw new AppError(
      422,
      "invalid",
      `${name} cannot be compared: ${side?.problem ?? "it is no date"}`,
    );
  }
  return side;
}

/** What the pair itself shows, where the recipe finds its thresholds. */
async function foundIn(
  { api, run, signal }: StageContext,
  setup: ChangeSetup,
  side: Compared,
): Promise<{ setup: ChangeSetup; first: FirstMap | null }> {
  const band = side.info!.bands[setup.band]!;
  const params = { id: run.studyId };
  const body = { ...pairIds(run), setup };
  if (firstMapKind(band, setup.measure)) {
    const first = await api.call(compareRoutes.firstMap, { params, body }, signal);
    return { setup: withFirstMap(setup, first), first };
  }
  const { measure } = await api.call(compareRoutes.histograms, { params, body }, signal);
  return { setup: withClassesFound(setup, band, { measure, first: null }), first: null };
}

/** What a comparison begins with: the recipe as it fits the pair. */
async function setupWanted(context: StageContext, all: Scene[], pair: [Scene, Scene]) {
  const { api, run } = context;
  const params = { id: run.studyId };
  const sides = await api.call(compareRoutes.sides, { params });
  const side = requireSide(sides, pair[0]);
  requireSide(sides, pair[1]);
  const study: Study = await api.call(studyRoutes.find, { params });
  const facts = {
    ...{ bands: side.info!.bands, looks: side.looks, hasStudyArea: !!study.studyArea },
    hasElevation: all.some(({ kind, imageId }) => kind === "elevation" && imageId),
    beside: besideOf(all, sides, pair),
  };
  return { side, wanted: setupBy(run.recipe, facts) };
}

/** Settings of the study's comparison by the recipe, with classes from the pair where they are found. */
const compared: Stage = async (context) => {
  const { run } = context;
  const { all, pair } = await scenesOf(context);
  const { side, wanted } = await setupWanted(context, all, pair);
  const { classes, thresholds } = run.recipe;
  if (classes) {
    const found = await transitionsFound(context, all, {
      ...{ show: classes.show, leastCells: wanted.limits.minPatchCells ?? 1 },
    });
    if ("waits" in found) {
      return { waits: found.waits, again: true };
    }
    const setup = { ...wanted, ...found };
    return { notes: { setup, notSure: [] }, lines: secondSaid(run.recipe, setup, all) };
  }
  const { setup, first } =
    thresholds === "found" ? await foundIn(context, wanted, side) : { setup: wanted, first: null };
  const notes = first?.evidence.notes ?? [];
  // The most important one stands first: that of what changed. The others qualify a map that stands.
  const notSure = notes.slice(0, 1).filter(({ tone }) => tone !== "found");
  return {
    notes: { setup, notSure: notSure.map(({ text }) => text) },
    lines: [
      ...notes.map(({ tone, text }) => (tone === "found" ? said(text) : doubtful(text))),
      ...secondSaid(run.recipe, setup, all),
    ],
  };
};

/** Dates of the study that a second sensor may be asked with. */
function besideOf(all: readonly Scene[], sides: readonly Side[], [before, after]: [Scene, Scene]) {
  const infoOf = (id: string) => sides.find(({ sceneId }) => sceneId === id)?.info ?? null;
  return {
    pair: { kind: before.kind, beforeAt: before.acquiredAt, afterAt: after.acquiredAt },
    candidates: all.map(({ id, kind, acquiredAt }) => ({
      ...{ id, kind, acquiredAt },
      info: infoOf(id),
    })),
  };
}

/** Which second sensor is asked, or that none could be, where the recipe wants one. */
function secondSaid({ compare }: KeptRecipeRun["recipe"], { second }: ChangeSetup, all: Scene[]) {
  if (!compare?.second) {
    return [];
  }
  const scene = all.find(({ id }) => id === second?.afterId);
  return scene
    ? [said(`${scene.name} is asked about the map.`)]
    : [said("No scene of a second sensor lies near the dates: the map is not held against one.")];
}

/** The setup that the comparison settled on. */
function setupIn({ notes }: KeptRecipeRun): ChangeSetup {
  if (!notes.setup) {
    throw new Error("The pair was not compared yet");
  }
  return notes.setup;
}

/** Writes the map. */
const written: Stage = async ({ api, run }) => {
  const { runId } = await api.call(compareRoutes.write, {
    params: { id: run.studyId },
    body: { ...pairIds(run), setup: setupIn(run), name: run.name },
  });
  return { waits: [runId], notes: { writing: runId }, lines: [said("The map is being written.")] };
};

/** The map that the run of the last stage wrote. @throws AppError where there is none */
async function mapOf({ api, run }: StageContext) {
  const { result } = await api.call(runRoutes.find, { params: { id: run.notes.writing ?? "" } });
  const id = result?.changeMapId;
  if (!id) {
    throw new AppError(500, "failed", "The run wrote no map");
  }
  return api.call(changeMapRoutes.find, { params: { id } });
}

/** Histograms of the pair inside the study area; none where nothing can be counted. */
async function histogramsOf({ api, run, signal }: StageContext): Promise<CompareHistograms | null> {
  const body = { ...pairIds(run), setup: setupIn(run) };
  try {
    return await api.call(compareRoutes.histograms, { params: { id: run.studyId }, body }, signal);
  } catch (error) {
    if (error instanceof Refused && error.status === 422) {
      return null;
    }
    throw error;
  }
}

/** Runs that count the doubt of maps of the study. */
async function counting({ api, run }: StageContext): Promise<string[]> {
  const runs = await api.call(runRoutes.list, { query: { study: run.studyId } });
  return runs
    .filter(({ kind, state }) => kind === "countDoubt" && state === "running")
    .map(({ id }) => id);
}

/** Puts the map on the sheet of the recipe, where it has one and nobody has set the map's yet. */
async function setSheet({ api, run }: StageContext, map: string): Promise<void> {
  const { sheet } = run.recipe;
  const params = { id: map };
  if (!sheet) {
    return;
  }
  const { version } = await api.call(sheetRoutes.find, { params });
  if (version === 0) {
    const { layout, text, maker, licence } = sheet;
    const texts = { title: null, subtitle: null, text, maker, licence };
    const body = { sheet: { layout, texts, views: [] }, version: 0 };
    await api.call(sheetRoutes.save, { params, body });
  }
}

/** What is doubtful of the map, and its files. */
const filed: Stage = async (context) => {
  const { api, run } = context;
  const map = await mapOf(context);
  const doubt = await counting(context);
  if (!map.doubt && doubt.length > 0) {
    return { waits: doubt, again: true };
  }
  const setup = setupIn(run);
  const tally = Tally.from(map.tally);
  const labels = map.info.classes?.map(({ label }) => label) ?? [];
  const changedCells = labels.reduce((sum, label) => sum + tally.total(label).cells, 0);
  const seenCells = changedCells + tally.total(0).cells;
  const lookFirst = doubtsOf(
    {
      ...{ seenCells, changedCells, allCells: seenCells + tally.total(CLASS_NODATA).cells },
      ...{ rules: setup.rules, isByRules: !setup.groups && !setup.transitions },
      isDecibel: map.provenance.unit === "dB",
      histograms: await histogramsOf(context),
      notSure: run.notes.notSure ?? [],
    },
    run.recipe.lookFirst,
  );
  await setSheet(context, map.id);
  const waits: string[] = [];
  for (const format of run.files) {
    const { runId } = await api.call(changeMapRoutes.makeFile, {
      ...{ params: { id: map.id }, body: { format } },
    });
    waits.push(runId);
  }
  return {
    waits,
    lookFirst,
    made: { changeMapId: map.id, files: [] },
    lines: [
      said(`“${map.name}” is written: ${number(map.patchCount, 0)} patches.`),
      ...lookFirst.map(doubtful),
    ],
  };
};

/** Stages in their order, each with what it does. */
export const STAGES: readonly { stage: RecipeStage; work: Stage }[] = [
  { stage: "import", work: imported },
  { stage: "prepare", work: prepared },
  { stage: "align", work: aligned },
  { stage: "classify", work: classified },
  { stage: "compare", work: compared },
  { stage: "write", work: written },
  { stage: "files", work: filed },
];
