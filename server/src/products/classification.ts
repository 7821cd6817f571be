import { type ClassifyDate } from "@hindglance/contract/classify";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import type { ExtraInput } from "@hindglance/core/classify/extraInputs";
import { type Extras, inputsOf, usableBands } from "@hindglance/core/classify/inputs";
import { type ClassifySettings, EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import { appliedPriors } from "@hindglance/core/classify/train";
import { sameClasses, smoothed } from "@hindglance/core/classify/smooth";
import type { ClassInfo, ImageInfo } from "@hindglance/core/graph/image";
import { MOST_COVER } from "@hindglance/core/cover/coverClass";
import { InputError } from "@hindglance/core/errors";
import type { ApplyParams } from "@hindglance/core/graph/steps/apply";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { squareNorthUp } from "@hindglance/core/grid/grid";
import { findClassification } from "../db/classification";
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
  nodes: Record<"labels" | "second" | "confidence", NodeSpec>;
  /** The labels with lone cells cleaned, and what that changes; null where nothing is cleaned. */
  clean: { labels: NodeSpec; changes: NodeSpec | null; classes: ClassInfo[] } | null;
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

/** The areas of a date, on the grid of its image. */
const areasOn = ({ scene, settings }: DateToClassify, grid: Parameters<typeof areaOnGrid>[1]) =>
  Object.entries(settings.areas)
    .filter(([, area]) => area.sceneId === null || area.sceneId === scene.id)
    .map(([id, { label, polygons }]) => ({ id, label, polygons: areaOnGrid(polygons, grid) }));

/**
 * Trains on a date by the study's settings, and gives the nodes of its classes.
 * @throws AppError where there is no such date @throws InputError where it cannot be trained on
 */
export async function classified(
  services: { db: Database; sources: StoredSources; previews: PreviewPool },
  studyId: string,
  sceneId: string,
): Promise<ClassifiedDate> {
  const { db, previews } = services;
  const date = await opened(db, studyId, sceneId);
  const { settings } = date;
  const side = await sideNode(services.sources, date.all, date.scene);
  const grid = squareNorthUp(side.info.grid);
  const extras = settings.extras ?? [];
  const sources = await extraSources(services.sources, date.all, extras);
  const { node: joined, names: inputs } = inputsOf(side, settings.inputs, grid, {
    extras,
    sources,
  });
  const filled = node("classify.fillMissing", {}, joined);
  const image = settings.missing === "fill" ? filled : joined;
  const missing = extras.length > 0 ? await lackingIn(previews, filled) : [];
  const trained = await previews.train({
    ...{ studyId, image, inputs, areas: areasOn(date, grid) },
    settings: settingsToTrain(settings),
  });
  const classes = trained.labels.map((label) => {
    const { name, color } = settings.legend.find((one) => one.label === label)!;
    return { label, name, color };
  });
  const params: Omit<ApplyParams, "output"> = {
    model: trained.model,
    method: settings.method,
    priors: appliedPriors(settings, trained.classes),
    reject: settings.reject,
    classes,
  };
  const made = (output: ApplyParams["output"]) =>
    node("classify.apply", { ...params, output }, image);
  const labels = made("labels");
  return {
    ...{ ...date, trained, inputs, missing },
    nodes: { labels, second: made("second"), confidence: made("confidence") },
    clean: cleaned(labels, classes, settings),
  };
}

/** Labels smoothed, and what that changes, where a map of changes has room for so many classes. */
function cleaned(
  labels: NodeSpec,
  classes: ClassInfo[],
  { smooth }: ClassifySettings,
): ClassifiedDate["clean"] {
  const clean = smoothed(labels, smooth);
  return clean === labels
    ? null
    : {
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
  reject,
  heldShare,
}: ClassifySettings) => ({ legend, method, forest, priors, reject, heldShare });
