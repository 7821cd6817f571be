import { type ChangeSetup, changeSetupSchema } from "@hindglance/core/change/setup";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { changesSchema } from "./changes";
import type { NodeView } from "./nodes";

/** Kinds of scene that a study can compare, each with settings of its own. */
export const SCENE_KINDS = ["radar", "optical", "other"] as const;
/** One of those kinds. */
export type SceneKind = (typeof SCENE_KINDS)[number];

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
  })
  .noUnknown();

/** Addresses of everything that a comparison shows. */
export interface CompareNodes {
  /** All bands of both dates, where they are optical. */
  pictures: { before: NodeView; after: NodeView } | null;
  before: NodeView;
  after: NodeView;
  stack: NodeView;
  gated: NodeView;
  classes: NodeView;
  /** Groups of like cells, where classes come from groups. */
  groups: { groups: NodeView } | null;
  warnings: string[];
}

/**
 * Exact areas of a comparison: known, being measured by a run, or waiting until somebody says that
 * dates whose chain was never run like this may be prepared on the way.
 */
export type CompareAreas =
  | { state: "known"; hash: string; tally: TallyData }
  | { state: "measuring"; hash: string; runId: string }
  | { state: "notRun"; hash: string }
  | { state: "notAsked"; hash: string };

/** Why a comparison cannot be shown. */
export interface CompareProblem {
  message: string;
  field: string | null;
  hint: string | null;
}

/** A date whose chain was changed and not run since. */
export interface NotRun {
  sceneId: string;
  name: string;
}

/**
 * A study's comparison as it stands: settings, nodes and areas are of one version. `nodes` and
 * `areas` are null where no pair is chosen or `problem` says why they cannot be had.
 */
export interface ComparisonView {
  version: number;
  comparison: Comparison | null;
  nodes: CompareNodes | null;
  areas: CompareAreas | null;
  notRun: NotRun[];
  problem: CompareProblem | null;
}
