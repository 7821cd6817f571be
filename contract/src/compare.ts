import { FAMILIES } from "@hindglance/core/chain/family";
import { OPERATORS } from "@hindglance/core/change/rules";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Grid } from "@hindglance/core/grid/grid";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import type { TallyData } from "@hindglance/core/tally/tally";
import { speckleSchema } from "@hindglance/core/change/speckle";
import * as yup from "yup";
import {
  SCENE_KINDS,
  compareNodesSchema,
  comparisonChangeSchema,
  comparisonViewSchema,
  pairSchema,
} from "./comparison";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
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

const side = shape({
  sceneId: uuid,
  family: yup.string().oneOf(FAMILIES).nullable().defined(),
  node: ofCoreOrNull<NodeSpec>(),
  hash: hash.nullable().defined(),
  info: ofCoreOrNull<ImageInfo>(),
  /** Where its quality band says cloud. */
  cloud: ofCoreOrNull<{ node: NodeSpec; info: ImageInfo }>(),
  looks: numberOrNull,
  /** Whether it is stored, or what its chain makes of it is kept. */
  isKept: flag,
  problem: textOrNull,
});
/** What a date is compared as, or why it cannot be. */
export type Side = Of<typeof side>;

const threshold = yup.mixed<{ value: number; found: number; tiles: number }>().nullable().defined();
const twoHalves = ofCore<[Histogram, Histogram]>();
const histograms = shape({
  before: ofCore<Histogram>(),
  after: ofCore<Histogram>(),
  measure: ofCore<Histogram>(),
  /** The same of two halves of the cells, like the squares of a chessboard. */
  halves: shape({ before: twoHalves, after: twoHalves, measure: twoHalves }),
  /** Thresholds that tiles with two heaps have in common. */
  tiles: shape({ before: threshold, after: threshold, measure: threshold }),
  cells: whole,
  sampled: flag,
});
/** Histograms of before, after and measure inside the study area where both dates are seen. */
export type CompareHistograms = Of<typeof histograms>;

const groupFacts = shape({
  bands: list(shape({ name: text, unit: text, wavelengthNm: numberOrNull })),
  groups: list(
    shape({
      group: whole,
      color: text,
      share: number,
      before: list(numberOrNull),
      after: list(numberOrNull),
    }),
  ),
  cells: whole,
});
/** Groups of a comparison: how large, and what they look like on both dates. */
export type GroupFacts = Of<typeof groupFacts>;

const begun = shape({ runId: uuid });

/** Routes of the one comparison that a study holds. */
export const comparisonRoutes = {
  find: route({
    method: "GET",
    path: "/studies/:id/comparison",
    answer: comparisonViewSchema,
  }),
  change: route({
    method: "PATCH",
    path: "/studies/:id/comparison",
    body: comparisonChangeSchema,
    answer: comparisonViewSchema,
  }),
};

/** Routes of a pair that a caller sets out whole: its nodes, histograms, groups and areas. */
export const compareRoutes = {
  /** Every date of a study as it is compared: stored as it is, or as its chain makes it. */
  sides: route({ method: "GET", path: "/studies/:id/compare/sides", answer: list(side) }),
  nodes: route({
    method: "POST",
    path: "/studies/:id/compare/nodes",
    body: pairSchema,
    answer: compareNodesSchema,
  }),
  histograms: route({
    method: "POST",
    path: "/studies/:id/compare/histograms",
    body: pairSchema,
    answer: histograms,
  }),
  /** Classes and limits to begin with, and what of the pair they rest on. */
  firstMap: route({
    method: "POST",
    path: "/studies/:id/compare/first-map",
    body: pairSchema,
    answer: ofCore<FirstMap>(),
  }),
  groups: route({
    method: "POST",
    path: "/studies/:id/compare/groups",
    body: pairSchema,
    answer: groupFacts,
  }),
  /** Exact areas by class: at once when they are known, else as a run. */
  areas: route({
    method: "POST",
    path: "/studies/:id/compare/areas",
    body: pairSchema,
    answer: ofCore<{ hash: string } & ({ tally: TallyData } | { runId: string })>(),
  }),
  tally: route({
    method: "GET",
    path: "/tallies/:hash",
    answer: shape({ tally: ofCore<TallyData>(), hash }),
  }),
  write: route({
    method: "POST",
    path: "/studies/:id/change-maps",
    body: pairSchema.shape({ name: yup.string().trim().min(1).max(120) }),
    answer: begun,
  }),
};

const seriesAsk = shape({
  kind: yup.string().oneOf(SCENE_KINDS).required(),
  band: yup.string().max(120).required(),
  op: yup.string().oneOf(OPERATORS).required(),
  value: yup.number().min(-1e6).max(1e6).required(),
  speckle: speckleSchema,
  studyArea: flag,
  zones: flag,
});
/** What is counted on every date by itself. */
export type SeriesAsk = Of<typeof seriesAsk>;

const seriesZone = shape({
  seenM2: number,
  beyondM2: number,
  beyondCells: number,
  cells: number,
  mean: numberOrNull,
});
const seriesDate = shape({
  sceneId: uuid,
  name: text,
  acquiredAt: text,
  node: nodeView,
  /** By zone, the first is "in no zone"; null until it is counted. */
  zones: yup.array(seriesZone).nullable().defined(),
  mean: numberOrNull,
});
/** What was counted on one date. */
export type SeriesDate = Of<typeof seriesDate>;
const series = shape({
  key: text,
  unit: text,
  band: text,
  zones: list(text),
  left: list(shape({ sceneId: uuid, name: text, reason: text })),
  grid: ofCore<Grid>(),
  dates: list(seriesDate),
  /** The run that counts; absent once everything is known. */
  runId: yup.string().uuid(),
});
/** Every date by itself. */
export type Series = Of<typeof series>;

/** Routes of what is counted on every date by itself. */
export const seriesRoutes = {
  count: route({
    method: "POST",
    path: "/studies/:id/series",
    body: seriesAsk,
    answer: series,
  }),
};
