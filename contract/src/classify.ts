import { classifySchema, type ClassifySettings } from "@hindglance/core/classify/settings";
import { type Application, applicationSchema } from "@hindglance/core/classify/application";
import type { ExtraInput } from "@hindglance/core/classify/extraInputs";
import { METHODS, type ModelClass } from "@hindglance/core/classify/model";
import type { RankedInput } from "@hindglance/core/classify/rankInputs";
import type { ClassFacts, HeldCheck, Trained } from "@hindglance/core/classify/train";
import type { Grid } from "@hindglance/core/grid/grid";
import * as yup from "yup";
import { changesSchema } from "./changes";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
  checkedOrNull,
  flag,
  hash,
  list,
  number,
  numberOrNull,
  ofCore,
  ofCoreOrNull,
  shape,
  text,
  textOrNull,
  uuid,
  whole,
} from "./shapes";

const date = shape({
  sceneId: uuid,
  name: text,
  acquiredAt: textOrNull,
  kind: text,
  /** Names of the bands that classes can be told by. */
  bands: list(text),
  /** The picture of the date. */
  picture: nodeView.nullable().defined(),
  problem: textOrNull,
});
/** A date that can be classified, or why it cannot be. */
export type ClassifyDate = Of<typeof date>;

const view = shape({
  version: whole,
  settings: checkedOrNull<ClassifySettings>(() => classifySchema),
  dates: list(date),
});
/** What a study's dates are classified by. */
export type ClassifyView = Of<typeof view>;

/** What smoothing makes of a date's classes. */
const smoothed = shape({
  labels: nodeView,
  /** What was one class and becomes another, as a map of from–to; null for too many classes. */
  changes: nodeView.nullable().defined(),
});

const facts = shape({
  /** Name of the stored model. */
  model: hash,
  inputs: list(text),
  /** Inputs that have no value in some cells, as far as an overview shows. */
  missing: list(shape({ input: text, share: number })),
  labels: nodeView,
  second: nodeView,
  confidence: nodeView,
  /** A band a class; null where the method gives no probabilities. */
  probabilities: nodeView.nullable().defined(),
  /** How the model is applied. */
  applied: ofCore<Application>(),
  classes: list(ofCore<ClassFacts>()),
  pairs: list(ofCore<Trained["pairs"][number]>()),
  ranked: list(ofCore<RankedInput>()),
  check: ofCoreOrNull<HeldCheck>(),
  /** How often cells of the test areas are taken for what they are; null where there are none. */
  tested: ofCoreOrNull<HeldCheck>(),
  outOfBag: numberOrNull,
  importance: yup.array(yup.number().required()).nullable().defined(),
  /** What smoothing makes of it; null where none is set. */
  smoothed: smoothed.nullable().defined(),
  warnings: list(text),
});
/** What training on a date comes to: a model, its classes, and maps by it. */
export type Training = Of<typeof facts>;

const smoothingCounts = shape({
  /** By class: cells that it loses and that it gains. */
  classes: list(shape({ label: whole, lost: whole, gained: whole })),
  changed: whole,
  /** Cells of no class that get one, and cells that lose theirs; both are among those that change. */
  filled: whole,
  emptied: whole,
  /** Cells that were looked at, and whether those are a sample. */
  cells: whole,
  sampled: flag,
});
/** What smoothing changes, by class. */
export type SmoothingCounts = Of<typeof smoothingCounts>;

const groups = shape({
  groups: nodeView,
  /** Classes that groups were given to; null: none was given yet. */
  classes: nodeView.nullable().defined(),
  /** What smoothing makes of those classes; null where none is set. */
  smoothed: smoothed.nullable().defined(),
  inputs: list(text),
  found: list(shape({ group: whole, color: text, share: number, means: list(numberOrNull) })),
});
/** Groups of like cells, how large they are and what they look like. */
export type DateGroups = Of<typeof groups>;

const modelName = yup
  .string()
  .trim()
  .min(1, "Give the model a name")
  .max(120, "A name has at most 120 characters")
  .required("Give the model a name");
const keptModel = shape({
  id: hash,
  studyId: uuid,
  studyName: text,
  name: text,
  method: yup.string().oneOf(METHODS).required(),
  priors: list(number),
  reject: numberOrNull,
  extras: list(ofCore<ExtraInput>()),
  inputs: list(text),
  classes: list(ofCore<ModelClass>()),
});
/** A model that somebody kept under a name. */
export type KeptModel = Of<typeof keptModel>;

const lonLat = yup
  .tuple([yup.number().min(-180).max(180).required(), yup.number().min(-90).max(90).required()])
  .required();
const grown = shape({
  /** Of the cells that were looked at. */
  grid: ofCore<Grid>(),
  /** By cell a byte, as `Grown.levels` of the core has them; in base 64. */
  levels: text,
});

const begun = shape({ scenes: list(shape({ sceneId: uuid, runId: uuid })) });

/** Routes of what a study's dates are classified by, and of the maps that come of it. */
export const classifyRoutes = {
  find: route({ method: "GET", path: "/studies/:id/classification", answer: view }),
  change: route({
    method: "PATCH",
    path: "/studies/:id/classification",
    body: shape({ changes: changesSchema }),
    answer: view,
  }),
  train: route({
    method: "POST",
    path: "/studies/:id/classification/training",
    body: shape({ sceneId: uuid }),
    answer: facts,
  }),
  /** Groups of like cells of a date, or of all dates, and their classes. */
  groups: route({
    method: "POST",
    path: "/studies/:id/classification/groups",
    body: shape({ sceneId: uuid }),
    answer: groups,
  }),
  /** Ground around a place of a date by how unlike it is. */
  grow: route({
    method: "POST",
    path: "/studies/:id/classification/grown",
    body: shape({ sceneId: uuid, at: lonLat }),
    answer: grown,
  }),
  /** A trained model as JSON, to keep and to read with other programs. */
  model: route({
    method: "GET",
    path: "/studies/:id/models/:model",
    answer: ofCore<object>(),
  }),
  /** Models that are kept under names, in every study. */
  models: route({ method: "GET", path: "/studies/:id/models", answer: list(keptModel) }),
  /** Keeps a trained model of the study under a name. */
  keepModel: route({
    method: "PUT",
    path: "/studies/:id/models/:model",
    body: shape({ name: modelName, applied: applicationSchema }),
    answer: keptModel,
  }),
  /** Takes in the text of a model that was kept as a file. */
  importModel: route({
    method: "POST",
    path: "/studies/:id/models",
    body: shape({ name: modelName, text: yup.string().max(16_000_000).required() }),
    answer: keptModel,
  }),
  forgetModel: route({ method: "DELETE", path: "/studies/:id/models/:model" }),
  smoothing: route({
    method: "POST",
    path: "/studies/:id/classification/smoothing",
    body: shape({ sceneId: uuid }),
    answer: smoothingCounts,
  }),
  /** Writes the classes of dates as classified scenes of their own. */
  write: route({
    method: "POST",
    path: "/studies/:id/classification/maps",
    body: shape({ sceneIds: yup.array(uuid).min(1).max(100).required() }),
    answer: begun,
  }),
};
