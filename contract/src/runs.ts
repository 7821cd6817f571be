import * as yup from "yup";
import { errorShape } from "./errors";
import { route } from "./route";
import { type Of, list, number, shape, text, textOrNull, uuid, uuidOrNull, whole } from "./shapes";

/** How a run stands. */
export const RUN_STATES = ["running", "done", "failed", "cancelled"] as const;
export type RunState = (typeof RUN_STATES)[number];

const run = shape({
  id: uuid,
  studyId: uuidOrNull,
  kind: text,
  title: text,
  state: yup.string().oneOf(RUN_STATES).required(),
  phase: whole,
  phases: list(shape({ name: text, weight: number })),
  /** Share that is done, 0 to 1. */
  progress: number,
  /** What it is at, in words. */
  doing: text,
  error: errorShape.nullable().defined(),
  result: yup.mixed<Record<string, string>>().nullable().defined(),
  createdAt: text,
  finishedAt: textOrNull,
});
/** Long work, without the parameters that it was begun with. */
export type Run = Of<typeof run>;

/** What a page calls itself, so that it is known what it waits for while it listens to events. */
const page = yup.string().uuid();
export const eventsQuery = yup.object({ page: page.optional() }).noUnknown();

/** Routes of runs: listed, looked at, cancelled one by one or all together. */
export const runRoutes = {
  list: route({
    method: "GET",
    path: "/runs",
    query: shape({ study: yup.string().uuid() }),
    answer: list(run),
  }),
  find: route({ method: "GET", path: "/runs/:id", answer: run }),
  /** Ends every run, or those of one study; runs that have just ended are no matter. */
  cancelAll: route({
    method: "POST",
    path: "/runs/cancel",
    body: shape({ studyId: yup.string().uuid() }),
    answer: shape({ cancelled: whole }),
  }),
  cancel: route({ method: "POST", path: "/runs/:id/cancel" }),
  /** A page waits for a run, as long as it listens to events; a run that is waited for goes on. */
  wait: route({ method: "POST", path: "/runs/:id/wait", body: shape({ page: uuid }) }),
  /** A page waits no more: what nobody waits for ends. */
  leave: route({ method: "POST", path: "/runs/:id/leave", body: shape({ page: uuid }) }),
};
