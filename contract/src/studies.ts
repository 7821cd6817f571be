import type { Alignment } from "@hindglance/core/align/alignment";
import * as yup from "yup";
import { type Comparison, comparisonSchema } from "./comparison";
import type { PrepareState } from "./prepare";
import { route } from "./route";
import type { SaidAtImport } from "./scenes";
import {
  type Of,
  checkedOrNull,
  isDay,
  isMoment,
  list,
  ofCore,
  ofCoreOrNull,
  shape,
  text,
  textOrNull,
  uuid,
  whole,
} from "./shapes";

/** What a study is about. */
export const HAZARDS = ["flood", "fire", "land cover", "other"] as const;
export type Hazard = (typeof HAZARDS)[number];

/** A study area as GeoJSON, lon/lat. */
export interface AreaGeometry {
  type: "MultiPolygon";
  coordinates: [number, number][][][];
}

const study = shape({
  id: uuid,
  name: text,
  hazard: yup.string().oneOf(HAZARDS).required(),
  eventAt: textOrNull,
  studyArea: ofCoreOrNull<AreaGeometry>(),
  compare: checkedOrNull<Comparison>(() => comparisonSchema),
  chain: ofCoreOrNull<PrepareState>(),
  opticalChain: ofCoreOrNull<PrepareState>(),
  /** By scene what Align does to it. */
  align: ofCoreOrNull<Record<string, Alignment>>(),
  /** Raised by every change of what the study is set to. */
  version: whole,
  createdAt: text,
  updatedAt: text,
});
/** A study with what it is set to. */
export type Study = Of<typeof study>;

const studySummary = study.shape({ scenes: whole, changeMaps: whole });
/** A study with how much it holds. */
export type StudySummary = Of<typeof studySummary>;

/** What is known of an act, by what it was; among it what was said at an import. */
export interface LedgerDetail extends Record<string, unknown> {
  answers?: SaidAtImport;
}

const ledgerEntry = shape({
  id: whole,
  at: text,
  what: text,
  detail: ofCore<LedgerDetail>(),
  /** Who did it, as it was said; null where nobody was named. */
  actor: textOrNull,
});
/** One thing that was done in a study. */
export type LedgerEntry = Of<typeof ledgerEntry>;

const isoDate = yup
  .string()
  .test(
    "date",
    "${path} must be a date, or a time in UTC such as 2025-05-12T06:00:00Z",
    (value) => value == null || isDay(value) || isMoment(value),
  );
const name = yup
  .string()
  .trim()
  .min(1, "Give the study a name")
  .max(120, "A name has at most 120 characters");
/** Any GeoJSON that holds polygons. */
const area = yup.mixed<object>().nullable();

/** What a study is called and about. */
const facts = {
  name,
  hazard: yup.string().oneOf(HAZARDS),
  eventAt: isoDate.nullable(),
  studyArea: area,
};

/** Routes of studies and their ledgers. */
export const studyRoutes = {
  list: route({ method: "GET", path: "/studies", answer: list(studySummary) }),
  create: route({
    method: "POST",
    path: "/studies",
    body: shape({
      name: name.required("Give the study a name"),
      hazard: yup.string().oneOf(HAZARDS).required(),
      eventAt: isoDate.nullable(),
      studyArea: area,
    }),
    answer: study,
  }),
  find: route({ method: "GET", path: "/studies/:id", answer: study }),
  update: route({
    method: "PATCH",
    path: "/studies/:id",
    /**
     * `was`: what the page last saw of what it changes. Where that is something else by now, the
     * change is refused (409), so that nobody's is lost without a word.
     */
    body: shape({
      ...facts,
      was: yup.object(facts).noUnknown().default(undefined).optional(),
      compare: comparisonSchema.nullable().default(undefined).optional(),
    }),
    answer: study,
  }),
  remove: route({ method: "DELETE", path: "/studies/:id" }),
  ledger: route({ method: "GET", path: "/studies/:id/ledger", answer: list(ledgerEntry) }),
};
