import { coverClassesSchema } from "@hindglance/core/cover/coverClass";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { nodeView } from "./nodes";
import { route } from "./route";
import { type Of, hash, ofCoreOrNull, shape, text, uuid, uuidOrNull } from "./shapes";

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

/** Routes of what became of what between two classified dates. */
export const fromToRoutes = {
  make: route({
    method: "POST",
    path: "/studies/:id/from-to",
    body: shape({ beforeId: uuid, afterId: uuid, classes: coverClassesSchema }),
    answer: made,
  }),
};
