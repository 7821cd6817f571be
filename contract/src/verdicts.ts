import { STANDINGS, VERDICTS } from "@hindglance/core/review/standing";
import * as yup from "yup";
import { patchFilter } from "./changeMaps";
import { route } from "./route";
import {
  type Of,
  flag,
  list,
  number,
  numberOrNull,
  personName,
  shape,
  text,
  textOrNull,
  whole,
} from "./shapes";

/** Patches that verdicts can be said of by their numbers in one go. */
export const MOST_NUMBERS = 10_000;

/** The patch of an earlier map that a verdict was taken over from. */
const inherited = yup.object({
  /** Name of the map. */
  map: text,
  patch: whole,
  /** Share of this patch's area that it covers. */
  share: number,
});

const said = shape({
  reviewer: text,
  verdict: yup.string().oneOf(VERDICTS).required(),
  note: text,
  saidAt: text,
  inherited: inherited.noUnknown().nullable().defined(),
});
/** What a reviewer says of a patch. */
export type Said = Of<typeof said>;

const standingArea = shape({
  /** Number of the zone, 0 for in none; null for the whole map. */
  zone: numberOrNull,
  label: whole,
  standing: yup.string().oneOf(STANDINGS).required(),
  patches: whole,
  cells: number,
  areaM2: number,
});
/** Area of the patches of a class that stand alike, in a zone. */
export type StandingArea = Of<typeof standingArea>;

const act = shape({
  id: whole,
  reviewer: text,
  /** Null where only a note was written. */
  verdict: textOrNull,
  saidAt: text,
  patches: whole,
  undone: flag,
});
/** What was said in one go. */
export type VerdictAct = Of<typeof act>;

const agreement = shape({
  reviewers: yup.tuple([text, text]).required(),
  patches: whole,
  alike: whole,
  kappa: numberOrNull,
});

const reviewer = personName("Say who you are: a verdict has a name");

/** Routes of what reviewers say of the patches of a map. */
export const verdictRoutes = {
  /**
   * Says a verdict, or a note, of patches: of those with these numbers, or of all that are asked for.
   */
  say: route({
    method: "POST",
    path: "/change-maps/:id/verdicts",
    body: shape({
      reviewer,
      verdict: yup.string().oneOf(VERDICTS).nullable().default(null),
      /** Null keeps the notes that are there. */
      note: yup
        .string()
        .trim()
        .max(2000, "A note has at most 2000 characters")
        .nullable()
        .default(null),
      numbers: yup
        .array(yup.number().integer().min(1).required())
        .min(1)
        .max(MOST_NUMBERS, `At most ${MOST_NUMBERS} patches by number in one go`)
        .nullable()
        .default(null),
      which: patchFilter.notRequired().nullable().default(null),
    }),
    answer: shape({ act: yup.number().integer().nullable().defined(), patches: whole }),
  }),
  /** Takes back what was said in one go, or says it again; what was said since is kept. */
  turn: route({
    method: "PATCH",
    path: "/change-maps/:id/verdict-acts/:act",
    body: shape({ undone: flag }),
    answer: shape({ patches: whole }),
  }),
  /** What was said, the latest first. */
  acts: route({ method: "GET", path: "/change-maps/:id/verdict-acts", answer: list(act) }),
  /** What was said of a patch, by reviewer. */
  of: route({
    method: "GET",
    path: "/change-maps/:id/patches/:number/verdicts",
    answer: list(said),
  }),
  /** Areas by class and standing, of the whole map and by zone, and how far reviewers agree. */
  standing: route({
    method: "GET",
    path: "/change-maps/:id/standing",
    answer: shape({
      areas: list(standingArea),
      /** Whether parts of patches by zone are known: not in maps that are older than they. */
      zonesKnown: flag,
      reviewers: list(shape({ reviewer: text, patches: whole })),
      agreement: list(agreement),
    }),
  }),
};
