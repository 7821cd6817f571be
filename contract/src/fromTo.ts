import { coverClassesSchema } from "@hindglance/core/cover/coverClass";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { nodeView } from "./nodes";
import { route } from "./route";
import {
  type Of,
  hash,
  list,
  number,
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
