import { DRAWINGS } from "@hindglance/core/accuracy/sample";
import type { Count, Stratum } from "@hindglance/core/accuracy/sample";
import type { TestDesign } from "@hindglance/core/accuracy/draw";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import * as yup from "yup";
import { route } from "./route";
import {
  type Of,
  list,
  numberOrNull,
  ofCore,
  personName,
  shape,
  text,
  uuid,
  whole,
} from "./shapes";

/** Places of a sample, at the most. */
export const MOST_PLACES = 20_000;
/** Areas that a map is tested on, at the most. */
export const MOST_AREAS = 5000;
/** Cells around change that can be a stratum of their own, at the most. */
export const MOST_NEAR = 20;

const looker = shape({ interpreter: text, places: whole });

const sample = shape({
  id: uuid,
  changeMapId: uuid,
  name: text,
  design: ofCore<TestDesign>(),
  /** Cells around change that are a stratum of their own; 0: there is none. */
  nearCells: whole,
  strata: ofCore<Stratum[]>(),
  createdAt: text,
  places: whole,
  /** Who looked at how many of them. */
  interpreters: list(looker),
});
/** Places that were drawn from a map, to be looked at. */
export type Sample = Of<typeof sample>;

const place = shape({
  number: whole,
  lon: yup.number().required(),
  lat: yup.number().required(),
  /** Whether the interpreter looked at it, and what he said: null, he cannot tell. */
  isLooked: yup.boolean().required(),
  label: numberOrNull,
  note: text,
});
/** A place to be looked at; what the map says there is not told. */
export type Place = Of<typeof place>;

const interpreter = personName("Say who you are: what is seen has a name");

const count = yup.number().integer().min(0).max(MOST_PLACES);
const design = shape({
  drawing: yup.string().oneOf(DRAWINGS).required(),
  seed: yup.number().integer().min(0).max(4_294_967_295).required(),
  /** Places by stratum, where they are drawn by strata. */
  units: yup.mixed<Record<number, number>>().required(),
  count: count.required(),
});

const result = shape({
  /** Places whose class is known, by stratum and zone (0: in none). */
  counts: list(ofCore<Count & { zone: number }>()),
  /** Strata by zone, where the map has zones. */
  zones: list(ofCore<Stratum & { zone: number }>()),
  open: whole,
  unsure: whole,
  disputed: whole,
  /** How far each two interpreters agree. */
  agreement: list(
    shape({
      interpreters: yup.tuple([text, text]).required(),
      places: whole,
      alike: whole,
      kappa: numberOrNull,
    }),
  ),
});
/** What was seen at the places of a sample. */
export type SampleResult = Of<typeof result>;

/** Routes of samples: drawn from a map, looked at place by place, and what came of it. */
export const accuracyRoutes = {
  list: route({ method: "GET", path: "/change-maps/:id/samples", answer: list(sample) }),
  /** Draws places, in a run. */
  draw: route({
    method: "POST",
    path: "/change-maps/:id/samples",
    body: shape({
      name: yup
        .string()
        .trim()
        .min(1, "Give the sample a name")
        .max(80, "A name has at most 80 characters")
        .required("Give the sample a name"),
      design,
      nearCells: yup.number().integer().min(0).max(MOST_NEAR).required(),
    }),
    answer: shape({ runId: uuid }),
  }),
  /** Tests a map on areas of known class, in a run. */
  testAreas: route({
    method: "POST",
    path: "/change-maps/:id/test-areas",
    body: shape({
      name: yup
        .string()
        .trim()
        .min(1, "Give the test areas a name")
        .max(80, "A name has at most 80 characters")
        .required("Give the test areas a name"),
      /** Polygons in longitude and latitude. */
      areas: yup
        .array(
          shape({
            label: yup.number().integer().min(0).max(254).required(),
            polygons: ofCore<MultiPolygon>(),
          }),
        )
        .min(1, "There is no area")
        .max(MOST_AREAS, `At most ${MOST_AREAS} areas`)
        .required(),
    }),
    answer: shape({ runId: uuid }),
  }),
  remove: route({ method: "DELETE", path: "/samples/:id" }),
  /** Places in their order, with what an interpreter said; not what the map says. */
  places: route({
    method: "GET",
    path: "/samples/:id/places",
    query: shape({ interpreter: yup.string().max(60).default("") }),
    answer: list(place),
  }),
  /** Says what a place is; saying it again replaces what the same interpreter said before. */
  look: route({
    method: "POST",
    path: "/samples/:id/looks",
    body: shape({
      interpreter,
      number: yup.number().integer().min(1).required(),
      /** Null: it cannot be told. */
      label: yup.number().integer().min(0).max(254).nullable().defined(),
      note: yup.string().trim().max(2000, "A note has at most 2000 characters").defined(),
    }),
  }),
  /** Takes back what an interpreter said of a place. */
  unlook: route({
    method: "DELETE",
    path: "/samples/:id/looks/:number",
    query: shape({ interpreter }),
  }),
  result: route({ method: "GET", path: "/samples/:id/result", answer: result }),
};
