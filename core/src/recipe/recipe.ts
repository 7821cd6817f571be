import * as yup from "yup";
import { FAMILIES, type Family } from "../chain/family";
import { type Limits, limitsSchema } from "../change/limits/all";
import { MEASURES, type Measure } from "../change/measures/all";
import { type ClassRule, rulesSchema } from "../change/rules";
import { type Confirms, type SecondLook, secondSchema } from "../change/second";
import { GROUPED, type Grouping } from "../change/setup";
import { type Speckle, speckleSchema } from "../change/speckle";
import { TRANSITIONS_SHOWN, type TransitionsShown } from "../change/transitions";
import { METHODS, type Method } from "../classify/model";
import { type Smoothing, smoothingSchema } from "../classify/settings";
import { AWAY_SIDES, type AwaySide } from "../normal/away";
import { FALSE_ALARM_KM2 } from "../radar/falseAlarms";
import { InputError, messageOf } from "../errors";
import { isObject } from "../values";
import { type SheetLayout, layoutSchema } from "../sheet/layout";
import { OFFSET_MODELS, type OffsetModel } from "../align/offset";

/** Version of the format that recipes are written in. */
export const RECIPE_FORMAT = 1;

/** Kinds of change that a recipe looks for. */
export const RECIPE_HAZARDS = ["flood", "fire", "land cover", "other"] as const;
export type RecipeHazard = (typeof RECIPE_HAZARDS)[number];

/** How two dates are compared, with names of bands in place of their places in one product. */
export interface RecipeCompare {
  band: string;
  /** Bands of a measure of several; null: all that are like `band`. */
  bands: string[] | null;
  speckle: Speckle;
  measure: Measure;
  formula: string | null;
  reweighted: boolean | null;
  falseAlarmKm2: number | null;
  /** Of departures from normal; absent in older recipes. */
  seasonDays?: number | null;
  awayBeyond?: number | null;
  awaySide?: AwaySide | null;
  rules: ClassRule[];
  limits: Limits;
  groups: Grouping | null;
  /** A second sensor that is asked, where one looked near the dates; absent in older recipes. */
  second?: RecipeSecond | null;
}

/** What a second sensor is asked, whatever scene of it lies near. */
export interface RecipeSecond {
  look: SecondLook;
  confirms: Confirms | null;
  /** Days from the dates of the pair within which a scene is looked for. */
  withinDays: number;
}

/** What became of what between both dates, which are classified for it. */
export interface RecipeClasses {
  /** What the classes of the map say. */
  show: TransitionsShown;
  /**
   * How dates are classified, on the areas that the study knows, or by its model; null: as the study that
   * it is run on has it.
   */
  by: { method: Method; smooth: Smoothing | null } | null;
}

/** When a map that was made without anybody looking is to be looked at first. */
export interface LookFirst {
  /** Least share of the study area that is seen on both dates, 0 to 1. */
  leastSeen: number;
  /** Most that the area of a class may change when a threshold moves by a step, as a share of it. */
  mostSwing: number;
  /** Fewest cells that change. */
  leastCells: number;
}

/** How maps are made without staying at the screen. */
export interface Recipe {
  format: typeof RECIPE_FORMAT;
  name: string;
  note: string;
  hazard: RecipeHazard;
  /** The chain that prepares both dates; null where they come prepared. */
  family: Family | null;
  /** Settings of its steps over what a study proposes; null: all as proposed. */
  chain: Record<string, Record<string, unknown>> | null;
  /** Cell size of the study grid, metres; null: the images' own. */
  cellSize: number | null;
  /** How the later date is laid on the earlier one; null: as it lies. */
  align: OffsetModel | null;
  /** Whether thresholds are found anew in each pair, or are those that the rules have. */
  thresholds: "found" | "kept";
  /** null: as a study with such dates begins. */
  compare: RecipeCompare | null;
  /** Classes of both dates that the map is made of; null, and absent in older recipes: rules make it. */
  classes?: RecipeClasses | null;
  lookFirst: LookFirst;
  /** How maps are put on paper; null, and absent in older recipes: as is proposed for each. */
  sheet?: RecipeSheet | null;
}

/** A sheet without what belongs to one map: its title, its ground. */
export interface RecipeSheet {
  layout: SheetLayout;
  text: string | null;
  maker: string | null;
  licence: string | null;
}

const share = yup.number().min(0).max(1).required();
const nameSchema = yup.string().trim().min(1).max(80).required();
const words = (most: number) => yup.string().max(most).nullable().defined();
const bandName = yup.string().min(1).max(80).required();

const compareSchema = yup
  .object({
    band: bandName,
    bands: yup.array(bandName).min(1).max(16).nullable().defined(),
    speckle: speckleSchema,
    measure: yup.string<Measure>().oneOf(MEASURES).required(),
    formula: yup.string().max(2000).nullable().defined(),
    reweighted: yup.boolean().nullable().defined(),
    falseAlarmKm2: yup
      .number()
      .min(FALSE_ALARM_KM2.min)
      .max(FALSE_ALARM_KM2.max)
      .nullable()
      .defined(),
    seasonDays: yup.number().integer().min(1).max(183).nullable(),
    awayBeyond: yup.number().min(1).max(20).nullable(),
    awaySide: yup.string().oneOf(AWAY_SIDES).nullable(),
    rules: rulesSchema,
    limits: limitsSchema,
    groups: yup
      .mixed<Grouping>(
        (value: unknown): value is Grouping =>
          isObject(value) && GROUPED.some((one) => one === value.of),
      )
      .nullable()
      .defined(),
    second: secondSchema
      .pick(["look", "confirms"])
      .shape({ withinDays: yup.number().moreThan(0).max(366).required() })
      .noUnknown()
      .nullable()
      .default(undefined),
  })
  .noUnknown();

/** Schema of a recipe. */
export const recipeSchema = yup
  .object({
    format: yup
      .number()
      .oneOf([RECIPE_FORMAT], "format must be 1: this program reads recipes of format 1")
      .required(),
    name: nameSchema,
    note: yup.string().max(2000).defined(),
    hazard: yup.string().oneOf(RECIPE_HAZARDS).required(),
    family: yup.string().oneOf(FAMILIES).nullable().defined(),
    chain: yup
      .mixed<Record<string, Record<string, unknown>>>(
        (value: unknown): value is Record<string, Record<string, unknown>> =>
          isObject(value) && Object.values(value).every(isObject),
      )
      .nullable()
      .defined(),
    cellSize: yup.number().positive().max(100_000).nullable().defined(),
    align: yup.string<OffsetModel>().oneOf(OFFSET_MODELS).nullable().defined(),
    thresholds: yup
      .string()
      .oneOf(["found", "kept"] as const)
      .required(),
    compare: compareSchema.nullable().default(undefined).defined(),
    classes: yup
      .object({
        show: yup.string().oneOf(TRANSITIONS_SHOWN).required(),
        by: yup
          .object({
            method: yup.string().oneOf(METHODS).required(),
            smooth: smoothingSchema.nullable().defined(),
          })
          .noUnknown()
          .nullable()
          .default(undefined)
          .defined(),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
    lookFirst: yup
      .object({
        leastSeen: share,
        mostSwing: yup.number().min(0).max(100).required(),
        leastCells: yup.number().integer().min(0).required(),
      })
      .noUnknown(),
    sheet: yup
      .object({
        layout: layoutSchema.required(),
        ...{ text: words(2000), maker: words(160), licence: words(160) },
      })
      .noUnknown()
      .nullable()
      .default(undefined),
  })
  .noUnknown();

/** Whether something is a recipe. @throws ValidationError naming the field that is not as it should be */
function isRecipe(value: unknown): value is Recipe {
  recipeSchema.validateSync(value, { strict: true });
  return true;
}

/** A recipe out of what was read. @throws InputError naming the field that is wrong */
export function recipeFrom(value: unknown): Recipe {
  try {
    if (isRecipe(value)) {
      return value;
    }
  } catch (error) {
    throw new InputError(messageOf(error), error instanceof yup.ValidationError ? error.path : "");
  }
  throw new InputError("It is no recipe");
}

/** When a map is to be looked at first, where nobody says otherwise. */
export const USUAL_LOOK_FIRST: LookFirst = { leastSeen: 0.5, mostSwing: 0.5, leastCells: 100 };

const plain = (
  name: string,
  hazard: RecipeHazard,
  family: Family | null,
  note: string,
): Recipe => ({
  ...{ format: RECIPE_FORMAT, name, note, hazard, family },
  ...{ chain: null, cellSize: null, align: null, thresholds: "found", compare: null },
  ...{ lookFirst: USUAL_LOOK_FIRST, sheet: null },
});

/** Recipes that are there before anybody saved one. */
export const FIRST_RECIPES = {
  flood: plain(
    "Flood on radar",
    "flood",
    "radar",
    "Both dates prepared as a study proposes; thresholds found in the pair.",
  ),
  fire: plain(
    "Burn severity",
    "fire",
    "optical",
    "Both dates prepared to surface reflectance and NBR; burned ground by what the pair itself shows.",
  ),
  greenness: plain(
    "Greenness gain and loss",
    "land cover",
    "optical",
    "Both dates prepared to surface reflectance and NDVI; gain and loss by what the pair itself shows.",
  ),
  "from-to": {
    ...plain(
      "Land cover, from–to",
      "land cover",
      "optical",
      "Both dates prepared to surface reflectance and classified on areas of known cover; what became of what.",
    ),
    classes: {
      show: "transition",
      by: {
        method: "likelihood",
        smooth: { majorityCells: 3, minPatchCells: 4, neighbours: 8 },
      },
    },
  },
} as const satisfies Record<string, Recipe>;

const isFamily = (kind: string): boolean => FAMILIES.some((family) => family === kind);

/** Whether a recipe is for dates of a kind: not where it prepares those of another sensor. */
export const isFor = ({ family }: Pick<Recipe, "family">, kind: string): boolean =>
  family === null || family === kind || !isFamily(kind);

/** Which date of a pair a recipe is not for, in words; null where it is for both. */
export function notForPair(
  recipe: Pick<Recipe, "name" | "family">,
  pair: readonly { name: string; kind: string }[],
): string | null {
  const wrong = pair.find(({ kind }) => !isFor(recipe, kind));
  return wrong
    ? `“${recipe.name}” is for ${recipe.family} dates; ${wrong.name} is ${wrong.kind}`
    : null;
}
