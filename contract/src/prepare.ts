import {
  type Chain,
  CHAIN_SCHEMAS,
  type Exceptions,
  FAMILIES,
} from "@hindglance/core/chain/family";
import type { Family } from "@hindglance/core/chain/family";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { TIME_STATISTICS } from "@hindglance/core/radar/overTime";
import * as yup from "yup";
import { changesSchema } from "./changes";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
  day,
  flag,
  hash,
  list,
  numberOrNull,
  ofCore,
  shape,
  text,
  textOrNull,
  uuid,
  whole,
} from "./shapes";

const family = yup.string().oneOf(FAMILIES).required();

/** How far a cell of the board is. */
export const CELL_STATES = [
  "skipped",
  "waiting",
  "running",
  "done",
  "stale",
  "error",
  "blocked",
  "held",
] as const;
export type CellState = (typeof CELL_STATES)[number];

const boardCell = shape({
  step: text,
  state: yup.string().oneOf(CELL_STATES).required(),
  text,
  warnings: list(text),
  error: yup.object({ message: text, hint: yup.string() }).noUnknown().nullable().defined(),
  /** Share that is done, while a run is at it. */
  progress: yup.number(),
  exception: flag,
});
/** One step of one scene. */
export type BoardCell = Of<typeof boardCell>;

const boardRow = shape({
  sceneId: uuid,
  name: text,
  acquiredAt: text,
  pass: textOrNull,
  cells: list(boardCell),
  /** Identity of what the chain gives; null where it cannot run. */
  result: hash.nullable().defined(),
  ready: flag,
  runId: uuid.nullable().defined(),
  looks: numberOrNull,
});
/** One scene of the board. */
export type BoardRow = Of<typeof boardRow>;

/** Settings of a family's chain in a study. */
export interface PrepareState {
  chain: Chain;
  exceptions: Exceptions;
  heldOut: string[];
}
const heldOut = yup.array(uuid).max(500).defined();

/** Schema of a chain's settings as they are sent; exceptions are checked against the chain. */
export const prepareStateSchema = (of: Family) =>
  shape({ chain: CHAIN_SCHEMAS[of].required(), exceptions: ofCore<Exceptions>(), heldOut });

const prepareView = shape({
  family,
  chain: ofCore<Chain>(),
  exceptions: ofCore<Exceptions>(),
  heldOut,
  rows: list(boardRow),
  elevations: list(shape({ id: uuid, name: text })),
  orbits: list(shape({ id: uuid, fileName: text, kind: text })),
  /** Kept results that the chain as it stands does not use. */
  old: list(shape({ hash, sceneId: uuid, createdAt: text, bytes: yup.number().required() })),
});
/** The board of a family, with its settings. */
export type PrepareAnswer = Of<typeof prepareView>;

const ofFamily = shape({ family: family.default("radar") });
const ofStep = shape({ sceneId: uuid, step: yup.string().max(40).required() });

const stepReport = shape({
  lines: list(shape({ name: text, value: text })),
  warnings: list(text),
});

const windowSchema = yup
  .object({
    col: yup.number().integer().min(0).required(),
    row: yup.number().integer().min(0).required(),
    width: yup.number().integer().min(1).max(2000).required(),
    height: yup.number().integer().min(1).max(2000).required(),
  })
  .noUnknown();

const fieldFigures = shape({
  mean: numberOrNull,
  deviation: numberOrNull,
  looks: numberOrNull,
  cells: whole,
  sampled: flag,
  unit: text,
  histogram: ofCore<Histogram>(),
});

/** Schema of which statistic of which days is wanted. */
/** What can be made of several dates: a statistic, or of radar when and how often cells changed. */
export const OVER_TIME = [...TIME_STATISTICS, "changes"] as const;

export const overTimeAsk = shape({
  statistic: yup.string().oneOf(OVER_TIME).required(),
  percent: yup.number().min(0).max(100),
  /** Of changes: −log₁₀ of the chance by which unchanged ground is called changed. */
  rarity: yup.number().min(1).max(12),
  from: day,
  to: day,
  name: yup.string().trim().min(1).max(120),
});
export type OverTimeAsk = Of<typeof overTimeAsk>;

/** Routes of Prepare: the board of a family, its settings, its runs, its pictures. */
export const prepareRoutes = {
  board: route({
    method: "GET",
    path: "/studies/:id/prepare",
    query: ofFamily,
    answer: prepareView,
  }),
  /** Sets a chain whole. */
  set: route({
    method: "PUT",
    path: "/studies/:id/prepare",
    query: ofFamily,
    body: ofCore<object>(),
    answer: prepareView,
  }),
  /** Changes a chain's settings, from what the page last saw of them. */
  change: route({
    method: "PATCH",
    path: "/studies/:id/prepare",
    query: ofFamily,
    body: shape({ changes: changesSchema }),
    answer: prepareView,
  }),
  /** Runs what is not kept yet, of every scene or of some; `runId` is null where nothing is left. */
  run: route({
    method: "POST",
    path: "/studies/:id/prepare/runs",
    query: ofFamily,
    body: shape({ sceneIds: yup.array(uuid).min(1).nullable().default(null) }),
    answer: shape({ runId: uuid.nullable().defined(), items: whole }),
  }),
  /** What goes into a step and what comes out, for looking at. */
  nodes: route({
    method: "POST",
    path: "/studies/:id/prepare/nodes",
    query: ofFamily,
    body: ofStep,
    answer: shape({
      input: nodeView,
      output: nodeView,
      /** Another picture of what the step gave, where it has one. */
      levels: nodeView.nullable().defined(),
      sensor: textOrNull,
    }),
  }),
  /** What a step found in a scene: figures, and warnings that follow from them. */
  report: route({
    method: "POST",
    path: "/studies/:id/prepare/reports",
    query: ofFamily,
    body: ofStep,
    answer: stepReport,
  }),
  /** Figures of a field of a node's band, or of a sample of the whole. */
  field: route({
    method: "POST",
    path: "/fields",
    body: shape({
      hash,
      window: windowSchema.nullable().default(null),
      band: yup.number().integer().min(0).default(0),
    }),
    answer: fieldFigures,
  }),
  /** One statistic over the prepared dates of a span, as a scene of its own. */
  overTime: route({
    method: "POST",
    path: "/studies/:id/prepare/over-time",
    query: ofFamily,
    body: overTimeAsk,
    answer: shape({ sceneId: uuid, runId: uuid }),
  }),
  /** Takes results away that the chain as it stands does not use. */
  deleteOld: route({
    method: "DELETE",
    path: "/studies/:id/prepare/old",
    query: ofFamily,
    answer: shape({ deleted: whole }),
  }),
};
