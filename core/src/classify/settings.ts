import * as yup from "yup";
import { classFields } from "../change/classFields";
import type { MultiPolygon } from "../vector/polygons";
import { type CoverClass, coverClassesSchema } from "../cover/coverClass";
import { type NamedTransition, namedTransitionSchema } from "../cover/unlikely";
import { type ExtraInput, MOST_EXTRAS, areExtras } from "./extraInputs";
import { type Unsupervised, unsupervisedSchema } from "./unsupervised";
import { METHODS, type Method } from "./model";

/** A class of a legend: its label in maps, its name and colour, and what is known of it. */
export interface LegendClass {
  label: number;
  name: string;
  color: string;
  note: string;
}

/** Ground that somebody knows to be of one class, to train on or to test on. */
export interface TrainingArea {
  label: number;
  /** The one date that it holds for; null: every date. */
  sceneId: string | null;
  /** Whether maps are tested on it, and never trained; absent: they are trained on it. */
  isTest?: boolean | null;
  /** In longitude and latitude. */
  polygons: MultiPolygon;
}

/** How lone cells of a classified map are cleaned: first by the window, then by size. */
export interface Smoothing {
  /** Side of a window whose most frequent class a cell takes; null: none. */
  majorityCells: number | null;
  /** Whether the cells of that window count by how likely each class is; absent: each counts as one. */
  weighted?: boolean | null;
  /** Smaller patches take the class that is most frequent along their border; null: none do. */
  minPatchCells: number | null;
  /** Largest ground of no class that is filled by what encloses it; absent: none is. */
  holeCells?: number | null;
  /** Whether cells that touch at corners are one patch. */
  neighbours: 4 | 8;
}

/** What decides the classes of a study's dates. */
export interface ClassifySettings {
  legend: LegendClass[];
  /** By their ids, so that what two people draw at once is kept. */
  areas: Record<string, TrainingArea>;
  /** Names of the bands that classes are told by; null: all that can be. */
  inputs: string[] | null;
  /** What classes are told by besides those bands; absent: nothing. */
  extras?: ExtraInput[] | null;
  /** Cells where some input has no value: of no class, or with its mean. Absent: of no class. */
  missing?: (typeof MISSING)[number] | null;
  /** A kept model that dates are classified by, in place of training; absent: they are trained on. */
  model?: string | null;
  /** Groups of like cells in place of training; absent: none. */
  unsupervised?: Unsupervised | null;
  method: Method;
  forest: { trees: number; depth: number; seed: number };
  /** How frequent classes are taken to be: all alike, as their training cells, or as is given. */
  priors: (typeof PRIORS)[number];
  /** By label, percent, where that is given; a class that is not among them has an equal share. */
  frequencies?: Record<string, number> | null;
  /** What is too far from its class belongs to none; as the step `classify.apply` takes it. */
  reject: number | null;
  /** Share of the areas of every class that is not trained on, but checked against. */
  heldShare: number;
  /** Absent: maps stay as they are found. */
  smooth?: Smoothing | null;
  /** Which two classified dates are compared, and which of their classes mean the same. */
  fromTo?: { beforeId: string; afterId: string; classes: CoverClass[] } | null;
  /** Transitions that hardly happen, by the names of their classes; absent: those that are proposed. */
  unlikely?: NamedTransition[] | null;
}

/** What the priors of classes are taken from. */
export const PRIORS = ["equal", "training", "given"] as const;

/** What becomes of cells where some input has no value. */
export const MISSING = ["leaveOut", "fill"] as const;

/** The settings that a study begins with. */
export const EMPTY_CLASSIFY: ClassifySettings = {
  legend: [],
  areas: {},
  inputs: null,
  method: "likelihood",
  forest: { trees: 100, depth: 12, seed: 1 },
  priors: "equal",
  reject: null,
  heldShare: 0.25,
};

const legendClass = yup
  .object({ ...classFields, note: yup.string().max(500).defined().default("") })
  .noUnknown();

const number = yup.number().required();
const position = yup.tuple([number.min(-180).max(180), number.min(-90).max(90)]).required();
/** Schema of how maps are cleaned. */
export const smoothingSchema = yup
  .object({
    majorityCells: yup
      .number()
      .oneOf([3, 5, 7, 9, 11] as const)
      .nullable()
      .defined(),
    weighted: yup.boolean().nullable().default(undefined),
    minPatchCells: yup.number().integer().min(2).max(1_000_000).nullable().defined(),
    holeCells: yup.number().integer().min(1).max(1_000_000).nullable().default(undefined),
    neighbours: yup
      .mixed<4 | 8>()
      .oneOf([4, 8] as const)
      .required(),
  })
  .noUnknown();

/** Places that a ring of a training area may have. */
export const MOST_RING_PLACES = 20_000;
const ring = yup.array(position).min(4).max(MOST_RING_PLACES).required();
const areaSchema = yup
  .object({
    label: yup.number().integer().min(1).max(254).required(),
    sceneId: yup.string().uuid().nullable().defined(),
    isTest: yup.boolean().nullable().default(undefined),
    polygons: yup.array(yup.array(ring).min(1).required()).min(1).required(),
  })
  .noUnknown();

const MOST_AREAS = 5000;

/** A record of areas. */
const areasSchema = yup.lazy((value: unknown) => {
  const ids = Object.keys(value && typeof value === "object" ? value : {});
  return yup
    .object(Object.fromEntries(ids.map((id) => [id, areaSchema])))
    .required()
    .test("count", `At most ${MOST_AREAS} training areas`, () => ids.length <= MOST_AREAS);
});

/** Percents by label. */
const frequenciesSchema = yup.lazy((value: unknown) => {
  const labels = Object.keys(value && typeof value === "object" ? value : {});
  const percent = yup.number().min(0).max(100).required();
  return yup
    .object(Object.fromEntries(labels.map((label) => [label, percent])))
    .nullable()
    .default(undefined);
});

/** What two classes of a legend have in common that they must not; null where nothing. */
function clash(legend: readonly LegendClass[]): string | null {
  const twice = <T>(values: readonly T[]) => values.find((one, k) => values.indexOf(one) !== k);
  const label = twice(legend.map((one) => one.label));
  const name = twice(legend.map((one) => one.name.trim().toLowerCase()));
  if (label !== undefined) {
    return `Two classes have the number ${label}`;
  }
  return name === undefined ? null : `Two classes are called ${name}`;
}

/** Schema of what decides the classes of a study's dates. */
export const classifySchema: yup.ObjectSchema<ClassifySettings> = yup
  .object({
    legend: yup
      .array(legendClass)
      .max(254)
      .required()
      .test("clash", "No two classes share a number or a name", (value, context) => {
        const message = clash(value ?? []);
        return message ? context.createError({ message }) : true;
      }),
    areas: areasSchema,
    inputs: yup.array(yup.string().min(1).max(120).required()).min(1).max(64).nullable().defined(),
    extras: yup
      .mixed<ExtraInput[]>(areExtras)
      .nullable()
      .default(undefined)
      .typeError(`At most ${MOST_EXTRAS} inputs: terrain, bands of scenes, texture; none twice`),
    missing: yup.string().oneOf(MISSING).nullable().default(undefined),
    model: yup.string().max(64).nullable().default(undefined),
    unsupervised: unsupervisedSchema.nullable().default(undefined),
    method: yup.string().oneOf(METHODS).required(),
    forest: yup
      .object({
        trees: yup.number().integer().min(1).max(500).required(),
        depth: yup.number().integer().min(1).max(20).required(),
        seed: yup.number().integer().min(0).max(4294967295).required(),
      })
      .noUnknown()
      .required(),
    priors: yup.string().oneOf(PRIORS).required(),
    frequencies: frequenciesSchema,
    reject: yup.number().min(0).nullable().defined(),
    heldShare: yup.number().min(0).max(0.5).required(),
    smooth: smoothingSchema.nullable().default(undefined),
    fromTo: yup
      .object({
        beforeId: yup.string().uuid().required(),
        afterId: yup.string().uuid().required(),
        classes: coverClassesSchema,
      })
      .noUnknown()
      .nullable()
      .default(undefined),
    unlikely: yup.array(namedTransitionSchema).max(225).nullable().default(undefined),
  })
  .noUnknown();
