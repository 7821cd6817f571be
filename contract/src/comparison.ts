import { type ChangeSetup, changeSetupSchema } from "@hindglance/core/change/setup";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { changesSchema } from "./changes";
import { nodeView } from "./nodes";
import {
  type Of,
  checkedOrNull,
  hash,
  list,
  ofCore,
  shape,
  text,
  textOrNull,
  uuid,
  whole,
} from "./shapes";

/** Kinds of scene that a study can compare, each with settings of its own. */
export const SCENE_KINDS = ["radar", "optical", "other"] as const;
/** One of those kinds. */
export type SceneKind = (typeof SCENE_KINDS)[number];

/** Whether a scene of a kind can stand on a side of a comparison. */
export const isCompared = (kind: string): boolean => SCENE_KINDS.some((one) => one === kind);

/** A pair with its settings; null where nothing was chosen yet. */
export interface OneComparison {
  beforeId: string | null;
  afterId: string | null;
  setup: ChangeSetup | null;
}

/** What a study compares. `others`: comparisons of the other kinds of scene, to go back to. */
export interface Comparison extends OneComparison {
  others?: Partial<Record<SceneKind, OneComparison | null>> | null;
}

const oneShape = {
  beforeId: yup.string().uuid().nullable().defined(),
  afterId: yup.string().uuid().nullable().defined(),
  setup: changeSetupSchema.nullable().defined(),
};

const oneOrNone = yup.object(oneShape).noUnknown().nullable().default(undefined);

/** Schema of what a study compares. */
export const comparisonSchema = yup
  .object({
    ...oneShape,
    others: yup
      .object({ radar: oneOrNone, optical: oneOrNone, other: oneOrNone })
      .noUnknown()
      .nullable()
      .default(undefined),
  })
  .noUnknown();

/** Schema of a pair with settings that can be computed. */
export const pairSchema = yup
  .object({
    beforeId: yup.string().uuid().required(),
    afterId: yup.string().uuid().required(),
    setup: changeSetupSchema.required(),
  })
  .noUnknown();

/**
 * Schema of a change of a comparison. `changes`: from what the page last saw; `measure`: whether
 * exact areas are wanted, and "anyway" where dates would have to be prepared on the way.
 */
export const comparisonChangeSchema = yup
  .object({
    changes: changesSchema,
    measure: yup
      .string()
      .oneOf(["yes", "no", "anyway"] as const)
      .default("yes"),
    /** The page that waits for the areas; without one they are measured to the end. */
    page: yup.string().uuid().optional(),
  })
  .noUnknown();

const bothSides = shape({ before: nodeView, after: nodeView });

/** Schema of the nodes of everything that a comparison shows. */
export const compareNodesSchema = shape({
  /** All bands of both dates, where they are optical. */
  pictures: bothSides.nullable().defined(),
  before: nodeView,
  after: nodeView,
  stack: nodeView,
  gated: nodeView,
  classes: nodeView,
  /** Groups of like cells, where classes come from groups. */
  groups: shape({ groups: nodeView }).nullable().defined(),
  /** What a second sensor says of the classes; null where none is asked. */
  confirmed: nodeView.nullable().default(null),
  /** What a second sensor shows on the grid of the map, by its dates; null where none is set. */
  second: shape({
    /** What is looked at. */
    name: text,
    /** The scene near after; null where it is not there. */
    scene: textOrNull,
    unit: text,
    before: nodeView.nullable().default(null),
    after: nodeView.nullable().default(null),
  })
    .nullable()
    .default(null),
  warnings: list(text),
  /** Names of the dates that the measure looks at besides the pair; null where it looks at the pair alone. */
  series: shape({ normal: list(text), watched: list(text) })
    .nullable()
    .default(null),
  /** What blurs banks in the chains of both dates. */
  blurs: list(text),
});
/** Addresses of everything that a comparison shows. */
export type CompareNodes = Of<typeof compareNodesSchema>;

const stateOf = <State extends string>(state: State) => yup.string().oneOf([state]).required();
const AREAS = {
  known: shape({ state: stateOf("known"), hash, tally: ofCore<TallyData>() }),
  measuring: shape({ state: stateOf("measuring"), hash, runId: uuid }),
  /** Dates would have to be prepared on the way, which nobody has asked for. */
  notRun: shape({ state: stateOf("notRun"), hash }),
  notAsked: shape({ state: stateOf("notAsked"), hash }),
};
/**
 * Exact areas of a comparison: known, being measured by a run, or waiting until somebody says that
 * dates whose chain was never run like this may be prepared on the way.
 */
export type CompareAreas = Of<(typeof AREAS)[keyof typeof AREAS]>;
const isState = (state: unknown): state is keyof typeof AREAS =>
  typeof state === "string" && state in AREAS;
const areas = checkedOrNull<CompareAreas>(({ state }) => (isState(state) ? AREAS[state] : null));

/** Schema of a study's comparison as the page gets it. */
export const comparisonViewSchema = shape({
  version: whole,
  comparison: checkedOrNull<Comparison>(() => comparisonSchema),
  nodes: compareNodesSchema.nullable().defined(),
  areas,
  /** Dates whose chain was changed and not run since. */
  notRun: list(shape({ sceneId: uuid, name: text })),
  /** Why the comparison cannot be shown. */
  problem: shape({ message: text, field: textOrNull, hint: textOrNull }).nullable().defined(),
});
/**
 * A study's comparison as it stands: settings, nodes and areas are of one version. `nodes` and
 * `areas` are null where no pair is chosen or `problem` says why they cannot be had.
 */
export type ComparisonView = Of<typeof comparisonViewSchema>;
/** A date whose chain was changed and not run since. */
export type NotRun = ComparisonView["notRun"][number];
/** Why a comparison cannot be shown. */
export type CompareProblem = NonNullable<ComparisonView["problem"]>;
