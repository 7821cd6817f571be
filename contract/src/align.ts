import {
  type Alignment,
  LEVEL_METHODS,
  type Levelling,
  type OffsetPlace,
  type PointsPlace,
  levellingSchema,
  offsetSchema,
  pointsSchema,
} from "@hindglance/core/align/alignment";
import type { LevelFit } from "@hindglance/core/align/levelling";
import { OFFSET_MODELS } from "@hindglance/core/align/offset";
import * as yup from "yup";
import { changesSchema } from "./changes";
import { nodeView } from "./nodes";
import { route } from "./route";
import { type Of, flag, list, ofCore, ofCoreOrNull, shape, text, textOrNull, uuid } from "./shapes";

const alignRow = shape({
  sceneId: uuid,
  name: text,
  acquiredAt: textOrNull,
  kind: text,
  align: ofCoreOrNull<Alignment>(),
  /** Whether it is a picture without position. */
  picture: flag,
  raw: nodeView.nullable().defined(),
  aligned: nodeView.nullable().defined(),
  problem: textOrNull,
});
/** A date of the study, as it lies by itself (`raw`) and as Align leaves it. */
export type AlignRow = Of<typeof alignRow>;

const checkNodes = shape({
  reference: nodeView,
  date: nodeView,
  /** Both in one image, for looking from one to the other. */
  both: nodeView,
  edges: shape({ reference: nodeView, date: nodeView }),
});
/** Pictures of two dates in one band. */
export type CheckNodes = Of<typeof checkNodes>;

const pair = { referenceId: uuid, sceneId: uuid };
const band = yup.string().max(120).required();

/** A place is an offset, control points, or none; which one it is stands in `kind`. */
const placeSchema = yup.lazy((value: { kind?: string } | null | undefined) => {
  if (value === null) {
    return yup.mixed<PointsPlace>().nullable().defined();
  }
  return value?.kind === "offset" ? offsetSchema : pointsSchema.required();
});

/** Schema of what Align does to a date; a level that is left out stays as it is. */
export const alignmentSchema = shape({
  place: placeSchema,
  level: levellingSchema.nullable().default(undefined).optional(),
});
const alignment = shape({
  place: ofCoreOrNull<OffsetPlace | PointsPlace>(),
  level: ofCoreOrNull<Levelling>(),
});

/** Routes of Align: what is done to each date, and what is measured for it. */
export const alignRoutes = {
  /** Every date as it lies by itself and as Align leaves it. */
  list: route({ method: "GET", path: "/studies/:id/align", answer: list(alignRow) }),
  /**
   * Both dates in one band on the reference's grid, one over the other: pictures, both in one, and
   * their edges.
   */
  check: route({
    method: "POST",
    path: "/studies/:id/align/check",
    body: shape({ ...pair, band, aligned: flag }),
    answer: checkNodes,
  }),
  /** Measures how a date lies off another; what it finds is given back and not yet taken. */
  offset: route({
    method: "POST",
    path: "/studies/:id/align/offset",
    body: shape({ ...pair, band, model: yup.string().oneOf(OFFSET_MODELS).required() }),
    answer: shape({ place: ofCore<OffsetPlace>() }),
  }),
  /**
   * Measures how the numbers of a date lie off another's; what it finds is given back and not yet
   * taken.
   */
  level: route({
    method: "POST",
    path: "/studies/:id/align/level",
    body: shape({
      ...pair,
      method: yup.string().oneOf(LEVEL_METHODS).required(),
    }),
    answer: shape({ level: ofCore<Levelling>(), fit: ofCore<LevelFit>() }),
  }),
  /** What Align does to a date from now on; null takes a part of it away. */
  set: route({
    method: "PUT",
    path: "/studies/:id/align/:sceneId",
    body: alignmentSchema,
    answer: alignment,
  }),
  /** The same as changes of what the page last saw; 409 where somebody else changed the same. */
  change: route({
    method: "PATCH",
    path: "/studies/:id/align/:sceneId",
    body: shape({ changes: changesSchema }),
    answer: alignment,
  }),
};
