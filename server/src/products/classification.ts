import { type ClassifyDate } from "@hindglance/contract/classify";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import { type ExtraInput, extraName } from "@hindglance/core/classify/extraInputs";
import { type Extras, inputsOf, usableBands } from "@hindglance/core/classify/inputs";
import { STACK, classesOfGroups } from "@hindglance/core/classify/unsupervised";
import { type ClassifySettings, EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import type { PlacedArea } from "@hindglance/core/classify/gather";
import { appliedPriors } from "@hindglance/core/classify/train";
import { sameClasses, smoothed } from "@hindglance/core/classify/smooth";
import type { ClassInfo, ImageInfo } from "@hindglance/core/graph/image";
import { MOST_COVER } from "@hindglance/core/cover/coverClass";
import { InputError } from "@hindglance/core/errors";
import { type ApplyParams, isProbable } from "@hindglance/core/graph/steps/apply";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { type Grid, squareNorthUp } from "@hindglance/core/grid/grid";
import { findClassification, findKeptModel, lendModel } from "../db/classification";
import type { Database } from "../db/pool";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import type { TrainResult } from "../preview/trainTask";
import { type ReadyScene, isReady } from "./families";
import { iso } from "./time";
import { type StudySides, isDate, sideNode, studySides } from "./sides";

/** A date of a study with what it is classified by. */
interface DateToClassify {
  all: StudySides;
  scene: ReadyScene;
  settings: ClassifySettings;
}

/** What a training gave, and the nodes of the maps by it. */
export interface ClassifiedDate extends DateToClassify {
  trained: TrainResult;
  inputs: string[];
  /** Inputs that have no value in some of the cells of the date, and in what share of them. */
  missing: { input: string; share: number }[];
  /** How the model is applied. */
  applied: Omit<ApplyParams, "output">;
  /** `probabilities`: null where the method gives none. */
  nodes: Record<"labels" | "second" | "confidence", NodeSpec> & { probabilities: NodeSpec | null };
  clean: Cleaned | null;
}

/** Labels with lone cells cleaned, and what that changes. */
export interface Cleaned {
  /** What was cleaned. */
  from: NodeSpec;
  labels: NodeSpec;
  /** Null: a map of changes has no room for so many classes. */
  changes: NodeSpec | null;
  classes: ClassInfo[];
}

/** Dates that can be classified. */
export const datesToClassify = (all: StudySides): ReadyScene[] =>
  all.scenes.filter(isDate).filter(({ acquiredAt }) => acquiredAt);

/** A date as the page lists it, without its picture. */
export async function classifyDate(
  sources: StoredSources,
  all: StudySides,
  scene: ReadyScene,
): Promise<{ facts: Omit<ClassifyDate, "picture">; node: NodeSpec | null }> {
  const { id, name, acquiredAt, kind } = scene;
  const common = { sceneId: id, name, acquiredAt: acquiredAt && iso(acquiredAt), kind };
  try {
    const { node: image, info } = await sideNode(sources, all, scene);
    const bands = usableBands(info.bands).map((band) => band.name);
    return { facts: { ...common, bands, problem: null }, node: image };
  } catch (error) {
    if (!(error instanceof InputError)) {
      throw error;
    }
    return { facts: { ...common, bands: [], problem: error.message }, node: null };
  }
}

/** @throws AppError where the scene is no date of the study, or is not ready */
async function opened(db: Database, studyId: string, sceneId: string): Promise<DateToClassify> {
  return db.withClient(async (client) => {
    const all = await studySides(client, studyId);
    const scene = datesToClassify(all).find(({ id }) => id === sceneId);
    if (!scene) {
      throw new AppError(
        422,
        "invalid",
        "This date is not in the study, or is not imported yet",
        "sceneId",
        "Pick another date.",
      );
    }
    const { settings } = (await findClassification(client, studyId)) ?? {
      settings: EMPTY_CLASSIFY,
    };
    return { all, scene, settings };
  });
}

/** Images that inputs besides the bands of a date are taken from. */
async function extraSources(
  sources: StoredSources,
  all: StudySides,
  extras: readonly ExtraInput[],
): Promise<Extras["sources"]> {
  const scenes = new Map<string, { node: NodeSpec; info: ImageInfo }>();
  for (const extra of extras) {
    const scene = extra.kind === "scene" && all.scenes.find(({ id }) => id === extra.sceneId);
    if (scene && isDate(scene)) {
      scenes.set(scene.id, await sideNode(sources, all, scene));
    }
  }
  const elevation = all.scenes.filter(isReady).find(({ kind }) => kind === "elevation");
  return {
    scenes,
    elevation: elevation ? { node: sourceNode(elevation.imageId), info: elevation.info } : null,
  };
}

/** Inputs that lack values, as an overview of the date shows. */
async function lackingIn(
  previews: PreviewPool,
  filled: NodeSpec,
): Promise<ClassifiedDate["missing"]> {
  const report = await previews.report({ node: filled });
  return (report?.lines ?? [])
    .map(({ name, value }) => ({ input: name, share: Number(value) }))
    .filter(({ share }) => share > 0);
}

/** The areas of a date to train on, or to test on, on the grid of its image. */
const areasOn = (
  { scene, settings }: DateToClassify,
  isTest: boolean,
  grid: Parameters<typeof areaOnGrid>[1],
): PlacedArea[] =>
  Object.entries(settings.areas)
    .filter(([, area]) => area.sceneId === null || area.sceneId === scene.id)
    .filter(([, area]) => !!area.isTest === isTest)
    .map(([id, { label, polygons }]) => ({ id, label, polygons: areaOnGrid(polygons, grid) }));

interface Means {
  db: Database;
  sources: StoredSources;
  previews: PreviewPool;
}

/** What a date is classified by, on its grid. */
interface Looked {
  image: NodeSpec;
  inputs: string[];
  missing: ClassifiedDate["missing"];
  areas: PlacedArea[];
  /** Areas that it is tested on. */
  tests: PlacedArea[];
  grid: Grid;
}

/** The inputs of a date as one image, with its areas on the same grid. @throws InputError */
async function lookedAt(
  { sources, previews }: Means,
  date: DateToClassify,
  {
    bands,
    extras,
    grid: wanted,
  }: { bands: string[] | null; extras: readonly ExtraInput[]; grid?: Grid },
): Promise<Looked> {
  const side = await sideNode(sources, date.all, date.scene);
  const grid = wanted ?? squareNorthUp(side.info.grid);
  const from = await extraSources(sources, date.all, extras);
  const { node: joined, names } = inputsOf(side, bands, grid, { extras, sources: from });
  const filled = node("classify.fillMissing", {}, joined);
  return {
    image: date.settings.missing === "fill" ? filled : joined,
    inputs: names,
    missing: extras.length > 0 ? await lackingIn(previews, filled) : [],
    areas: areasOn(date, false, grid),
    tests: areasOn(date, true, grid),
    grid,
  };
}

/** What came of training or of a kept model, and how it is applied. */
interface Known extends Looked {
  trained: TrainResult;
  applied: Omit<ApplyParams, "output">;
}

/** Trains on a date. @throws InputError where it cannot be trained on */
async function trainedOn(means: Means, studyId: string, date: DateToClassify): Promise<Known> {
  const { settings } = date;
  const looked = await lookedAt(means, date, {
    bands: settings.inputs,
    extras: settings.extras ?? [],
  });
  const { image, inputs, areas, tests } = looked;
  const trained = await means.previews.train({
    ...{ studyId, image, inputs, areas, tests },
    settings: settingsToTrain(settings),
  });
  const { method, reject } = settings;
  const classes = trained.labels.map((label) => {
    const { name, color } = settings.legend.find((one) => one.label === label)!;
    return { label, name, color };
  });
  const priors = appliedPriors(settings, trained.classes);
  return { ...looked, trained, applied: { model: trained.model, method, priors, reject, classes } };
}

/**
 * Looks at a date with a model that is kept.
 * @throws AppError where it is not kept any more @throws InputError where the date lacks an input
 */
async function knownBy(
  means: Means,
  studyId: string,
  { date, id }: { date: DateToClassify; id: string },
): Promise<Known> {
  const kept = await means.db.withClient(async (client) => {
    await lendModel(client, studyId, id);
    return findKeptModel(client, studyId, id);
  });
  if (!kept) {
    throw new AppError(
      422,
      "invalid",
      "The model that this study classifies by is not kept any more",
      "model",
      "Pick another one, or train.",
    );
  }
  const { inputs, extras, method, priors, reject, classes } = kept;
  const besides = new Set(extras.map(extraName));
  const bands = inputs.filter((name) => !besides.has(name));
  const looked = await lookedAt(means, date, { bands, extras });
  const places = inputs.map((name) => looked.inputs.indexOf(name));
  const image = places.every((place, k) => place === k)
    ? looked.image
    : node("bands.select", { bands: places }, looked.image);
  const trained = await means.previews.judge({
    ...{ model: id, applied: { method, priors }, image },
    ...{ areas: looked.areas, tests: looked.tests },
    legend: date.settings.legend,
  });
  return {
    ...{ ...looked, image, inputs, trained },
    applied: { model: id, method, priors, reject, classes },
  };
}

/**
 * Trains on a date by the study's settings, or takes the model that they name, and gives the nodes of
 * its classes.
 * @throws AppError where there is no such date or model @throws InputError where it cannot be
 * trained on, or lacks an input
 */
export async function classified(
  means: Means,
  studyId: string,
  sceneId: string,
): Promise<ClassifiedDate> {
  const date = await opened(means.db, studyId, sceneId);
  const { model } = date.settings;
  const { image, inputs, missing, trained, applied } = model
    ? await knownBy(means, studyId, { date, id: model })
    : await trainedOn(means, studyId, date);
  const made = (output: ApplyParams["output"]) =>
    node("classify.apply", { ...applied, output }, image);
  const labels = made("labels");
  const probabilities = isProbable(applied.method) ? made("probabilities") : null;
  return {
    ...{ ...date, trained, inputs, missing, applied },
    nodes: {
      ...{ labels, second: made("second"), confidence: made("confidence") },
      probabilities,
    },
    clean: cleaned(labels, probabilities, applied.classes, date.settings),
  };
}

/** Labels smoothed; null where nothing is. */
function cleaned(
  labels: NodeSpec,
  probabilities: NodeSpec | null,
  classes: ClassInfo[],
  { smooth }: ClassifySettings,
): Cleaned | null {
  const clean = smoothed(labels, smooth, probabilities);
  return clean === labels
    ? null
    : {
        from: labels,
        labels: clean,
        changes:
          classes.length > MOST_COVER
            ? null
            : node("cover.fromTo", { classes: sameClasses(classes) }, labels, clean),
        classes,
      };
}

const settingsToTrain = ({
  legend,
  method,
  forest,
  priors,
  frequencies,
  reject,
  heldShare,
}: ClassifySettings) => ({
  ...{ legend, method, forest, priors, reject, heldShare },
  frequencies: frequencies ?? null,
});

/** What cells of a date are told apart by, as one image. @throws AppError, InputError */
export async function inputImage(
  means: Means,
  studyId: string,
  sceneId: string,
): Promise<Pick<Looked, "image" | "grid">> {
  const date = await opened(means.db, studyId, sceneId);
  const { inputs: bands, extras } = date.settings;
  return lookedAt(means, date, { bands, extras: extras ?? [] });
}

/** Groups of like cells, and the classes that they were given to. */
export interface GroupedDate extends DateToClassify {
  image: NodeSpec;
  inputs: string[];
  groups: NodeSpec;
  /** Null: none was given to a class yet. */
  classes: NodeSpec | null;
  clean: Cleaned | null;
}

/** All dates of a study on the grid of one of them, the bands of one behind those of another. */
async function stackOf(
  means: Means,
  date: DateToClassify,
): Promise<Pick<Looked, "image" | "inputs">> {
  const { inputs: bands, extras } = date.settings;
  const first = await lookedAt(means, date, { bands, extras: extras ?? [] });
  const images = [first.image];
  const inputs = [...first.inputs];
  for (const scene of datesToClassify(date.all)) {
    if (scene.id !== date.scene.id) {
      const other = { ...date, scene };
      const looked = await lookedAt(means, other, { bands, extras: [], grid: first.grid });
      images.push(looked.image);
      inputs.push(
        ...looked.inputs.map((name) => `${name}, ${iso(scene.acquiredAt!).slice(0, 10)}`),
      );
    }
  }
  return { image: images.length > 1 ? node("bands.join", {}, ...images) : first.image, inputs };
}

/**
 * Groups of like cells of a date, or of all dates on the grid of that one, by the study's settings.
 * @throws AppError where there is no such date, or groups are not asked for
 */
export async function grouped(
  means: Means,
  studyId: string,
  sceneId: string,
): Promise<GroupedDate> {
  const date = await opened(means.db, studyId, sceneId);
  const { unsupervised, inputs: bands, extras, legend } = date.settings;
  if (!unsupervised) {
    throw new AppError(
      422,
      "invalid",
      "This study does not group its dates",
      "unsupervised",
      "Set classes by groups of like cells.",
    );
  }
  const { image, inputs } =
    unsupervised.of === STACK
      ? await stackOf(means, date)
      : await lookedAt(means, date, { bands, extras: extras ?? [] });
  const groups = node("classify.groups", { ...unsupervised.params }, image);
  const given = unsupervised.given[unsupervised.of === STACK ? STACK : sceneId] ?? {};
  const infos = classesOfGroups(legend, given);
  const classes = infos.length > 0 ? node("classify.pick", { classes: infos }, groups) : null;
  return {
    ...{ ...date, image, inputs, groups, classes },
    clean: classes && cleaned(classes, null, infos, date.settings),
  };
}
