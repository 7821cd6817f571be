import * as yup from "yup";
import { route } from "./route";
import { type Of, flag, list, shape, text, textOrNull, uuid, whole } from "./shapes";

/** What a process does: it answers pages, or it computes. */
export const PROCESS_KINDS = ["server", "worker"] as const;

const work = shape({
  runId: uuid,
  title: text,
  /** What of the run it is at, in words. */
  doing: text,
  /** The study that it is for; null: for none. */
  study: textOrNull,
});

const process = shape({
  id: uuid,
  kind: yup.string().oneOf(PROCESS_KINDS).required(),
  host: text,
  pid: whole,
  program: text,
  /** Whether it is of the same program as the server that tells. */
  isSameProgram: flag,
  startedAt: text,
  heardAt: text,
  /** Seconds since it was heard. */
  silentSeconds: whole,
  /** Whether it is there: a worker by its lock in the database, a server by what it says. */
  isThere: flag,
  /** Memory that it takes up. */
  memoryBytes: whole,
  /** Whether it takes no more work. */
  isDraining: flag,
  /** What it computes now; null: nothing. */
  work: work.nullable().defined(),
});
/** A server or a worker, on whatever host, as it told of itself last. */
export type Process = Of<typeof process>;

/** Routes of the processes that share the database. */
export const processRoutes = {
  list: route({ method: "GET", path: "/processes", answer: list(process) }),
  /** Lets a worker take no more work, or take work again. */
  drain: route({
    method: "PATCH",
    path: "/processes/:id",
    body: shape({ isDraining: flag }),
    answer: process,
  }),
};
