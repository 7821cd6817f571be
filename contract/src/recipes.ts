import { type Recipe, recipeFrom } from "@hindglance/core/recipe/recipe";
import { messageOf } from "@hindglance/core/errors";
import * as yup from "yup";
import { FILE_FORMAT_NAMES } from "./files";
import { route } from "./route";
import { type Of, list, ofCore, shape, text, textOrNull, uuid, uuidOrNull, whole } from "./shapes";

/** Pairs of a list that are taken in one go, at the most. */
export const MOST_PAIRS = 1000;

/** A recipe as it is sent; what is wrong with it is said by its field. */
const recipe = ofCore<Recipe>().test("recipe", "${path} is no recipe", (value, context) => {
  try {
    recipeFrom(value);
    return true;
  } catch (error) {
    return context.createError({ message: `${context.path}: ${messageOf(error)}` });
  }
});

const kept = shape({
  id: uuid,
  name: text,
  /** Versions of a name are counted from 1. */
  version: whole,
  createdAt: text,
  recipe: ofCore<Recipe>(),
});
/** A recipe that was saved: one version of its name. */
export type KeptRecipe = Of<typeof kept>;

/** How a run of a recipe stands. */
export const RECIPE_STATES = ["running", "done", "failed", "cancelled"] as const;
/** What a run of a recipe does, one after the other. */
export const RECIPE_STAGES = [
  "import",
  "prepare",
  "align",
  "classify",
  "compare",
  "write",
  "files",
] as const;
export type RecipeStage = (typeof RECIPE_STAGES)[number];

/** What a line of a log is: something that was done, that is not sure, or that went wrong. */
export const LINE_TONES = ["said", "doubt", "wrong"] as const;
const line = shape({ at: text, tone: yup.string().oneOf(LINE_TONES).required(), text });
/** A line of the log of a recipe's run. */
export type RecipeLine = Of<typeof line>;

const made = shape({
  changeMapId: uuidOrNull,
  /** Files that were made of it. */
  files: list(shape({ id: uuid, name: text, format: text })),
});

const recipeRun = shape({
  id: uuid,
  studyId: uuid,
  study: text,
  name: text,
  recipe: ofCore<Recipe>(),
  beforeId: uuid,
  afterId: uuid,
  /** Names of both dates. */
  before: text,
  after: text,
  state: yup.string().oneOf(RECIPE_STATES).required(),
  stage: yup.string().oneOf(RECIPE_STAGES).required(),
  /** Of all of it, 0 to 1. */
  progress: yup.number().required(),
  log: list(line),
  /** Why its map is to be looked at before anybody uses it; none where nothing says so. */
  lookFirst: list(text),
  made,
  createdAt: text,
  endedAt: textOrNull,
});
/** A recipe that is run on a pair of a study, with its log. */
export type RecipeRun = Of<typeof recipeRun>;

const recipeOrder = shape({
  id: uuid,
  studyId: uuid,
  recipe: ofCore<Recipe>(),
  /** The date that new ones are compared with; null: the one before each, of the same pass. */
  beforeId: uuidOrNull,
  /** Its name; null with it. */
  before: textOrNull,
  createdAt: text,
  /** Runs that it has begun. */
  runs: whole,
});
/** A recipe that is run on every new date of a study. */
export type RecipeOrder = Of<typeof recipeOrder>;

const formats = yup
  .array(yup.string().oneOf(FILE_FORMAT_NAMES).required())
  .max(FILE_FORMAT_NAMES.length)
  .required();

const order = {
  recipe,
  /** Files that are made of the map. */
  files: formats,
};

/** Routes of recipes: saved in versions, taken from a study, run on pairs. */
export const recipeRoutes = {
  list: route({ method: "GET", path: "/recipes", answer: list(kept) }),
  /** Saves a recipe; one of the same name gets its next version. */
  save: route({
    method: "POST",
    path: "/recipes",
    body: shape({ recipe }),
    answer: kept,
  }),
  remove: route({ method: "DELETE", path: "/recipes/:id" }),
  /** How a study compares its pair, as a recipe. */
  ofStudy: route({ method: "GET", path: "/studies/:id/recipe", answer: ofCore<Recipe>() }),
  runs: route({ method: "GET", path: "/studies/:id/recipe-runs", answer: list(recipeRun) }),
  findRun: route({ method: "GET", path: "/recipe-runs/:id", answer: recipeRun }),
  /** Runs a recipe on a pair of a study; dates that are still being imported are waited for. */
  run: route({
    method: "POST",
    path: "/studies/:id/recipe-runs",
    body: shape({
      ...order,
      beforeId: uuid,
      afterId: uuid,
      name: yup.string().trim().min(1).max(120).nullable().defined(),
    }),
    answer: shape({ id: uuid }),
  }),
  /**
   * Runs a recipe on a list of pairs, one after the other: lines of CSV with a head of before, after
   * and, where wanted, name; dates by their names or ids.
   */
  runList: route({
    method: "POST",
    path: "/studies/:id/recipe-lists",
    body: shape({ ...order, csv: yup.string().max(200_000).required() }),
    answer: shape({ ids: list(uuid) }),
  }),
  orders: route({ method: "GET", path: "/studies/:id/recipe-orders", answer: list(recipeOrder) }),
  /** From now on runs a recipe on every date that comes into the study. */
  addOrder: route({
    method: "POST",
    path: "/studies/:id/recipe-orders",
    body: shape({ ...order, beforeId: uuidOrNull }),
    answer: shape({ id: uuid }),
  }),
  /** Ends that; runs that it has begun go on. */
  removeOrder: route({ method: "DELETE", path: "/recipe-orders/:id" }),
  cancelRun: route({ method: "POST", path: "/recipe-runs/:id/cancel" }),
  removeRun: route({ method: "DELETE", path: "/recipe-runs/:id" }),
};
