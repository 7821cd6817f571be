import { coverClassesSchema } from "@hindglance/core/cover/coverClass";
import { type CoverPaths, MOST_DATES, pathClassesSchema } from "@hindglance/core/cover/paths";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
  hash,
  list,
  number,
  ofCore,
  ofCoreOrNull,
  shape,
  text,
  uuid,
  uuidOrNull,
  whole,
} from "./shapes";

const made = shape({
  /** What every cell was and became. */
  transitions: nodeView,
  before: nodeView,
  after: nodeView,
  /** Areas by transition, under this hash: known, or measured by a run. */
  hash,
  tally: ofCoreOrNull<TallyData>(),
  runId: uuidOrNull,
  /** Names of the zones that areas are counted by, in their order in the tally. */
  zones: list(text),
  warnings: yup.array(text).defined(),
});
/** Two classified dates compared: their maps, and the areas of every transition. */
export type FromTo = Of<typeof made>;

const piece = shape({
  cells: whole,
  areaM2: number,
  west: number,
  south: number,
  east: number,
  north: number,
});
const pieces = shape({
  /** Overview level that they were found at; 0: the cells themselves. */
  level: whole,
  count: whole,
  areaM2: number,
  /** The largest of them, the largest first. */
  patches: list(piece),
});
/** Connected pieces of ground that became the same. */
export type TransitionPatches = Of<typeof pieces>;

/** Routes of what became of what between two classified dates. */
export const fromToRoutes = {
  make: route({
    method: "POST",
    path: "/studies/:id/from-to",
    body: shape({ beforeId: uuid, afterId: uuid, classes: coverClassesSchema }),
    answer: made,
  }),
  /** Ground by what it was on every date, the largest first; the map of one path where it is asked. */
  paths: route({
    method: "POST",
    path: "/studies/:id/from-to/paths",
    body: shape({
      sceneIds: yup.array(uuid).min(2).max(MOST_DATES).required(),
      classes: pathClassesSchema,
      path: yup.array(yup.number().integer().min(0).required()).nullable().default(null),
    }),
    answer: shape({ counted: ofCore<CoverPaths>(), shown: nodeView.nullable().defined() }),
  }),
  /** Pieces of ground of one transition. */
  patches: route({
    method: "POST",
    path: "/studies/:id/from-to/patches",
    body: shape({
      beforeId: uuid,
      afterId: uuid,
      classes: coverClassesSchema,
      label: yup.number().integer().min(1).max(254).required(),
    }),
    answer: pieces,
  }),
};
