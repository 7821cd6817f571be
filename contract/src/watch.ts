import * as yup from "yup";
import { POLARISATIONS } from "./archive";
import { route } from "./route";
import { type Of, list, shape, text, textOrNull, uuid, uuidOrNull, whole } from "./shapes";

/** What a piece of news is: something that was done, that is to be looked at, or that went wrong. */
export const NEWS_TONES = ["said", "doubt", "wrong"] as const;

const news = shape({
  id: whole,
  at: text,
  studyId: uuidOrNull,
  study: textOrNull,
  tone: yup.string().oneOf(NEWS_TONES).required(),
  text,
  /** Place in the study that it is about, such as "tally"; null: none. */
  stage: textOrNull,
});
/** Something that happened while nobody was looking. */
export type News = Of<typeof news>;

/** Minutes between two looks of a standing search, at the least and at the most. */
export const EVERY_MINUTES = { min: 5, max: 10_080, usual: 60 } as const;
/** Products that one look fetches at the most. */
export const MOST_AT_ONCE = { min: 1, max: 20, usual: 4 } as const;

const passes = ["ascending", "descending"] as const;

const ask = shape({
  pass: yup.string().oneOf(passes).nullable().defined(),
  polarisation: yup.string().oneOf(POLARISATIONS).nullable().defined(),
  everyMinutes: yup
    .number()
    .integer()
    .min(EVERY_MINUTES.min)
    .max(EVERY_MINUTES.max)
    .default(EVERY_MINUTES.usual),
  mostAtOnce: yup
    .number()
    .integer()
    .min(MOST_AT_ONCE.min)
    .max(MOST_AT_ONCE.max)
    .default(MOST_AT_ONCE.usual),
});
/** What a standing search asks the archive for. */
export type WatchAsk = Of<typeof ask>;

const search = ask.shape({
  id: uuid,
  studyId: uuid,
  /** Products that were taken from this day on count. */
  since: text,
  createdAt: text,
  lookedAt: textOrNull,
  /** Products that it has fetched. */
  fetched: whole,
  /** What was wrong when it looked last; null: nothing. */
  problem: textOrNull,
});
/** A search that looks again and again, and fetches what is new. */
export type StandingSearch = Of<typeof search>;

/** Routes of what comes in by itself, and of what it came to. */
export const watchRoutes = {
  /** The newest first. */
  news: route({ method: "GET", path: "/news", answer: list(news) }),
  /** What a study waits for. `folder`: its folder below the one that the server watches; null: none is watched. */
  find: route({
    method: "GET",
    path: "/studies/:id/watched",
    answer: shape({ folder: textOrNull, searches: list(search) }),
  }),
  /** From now on fetches what appears in the archive over the study area. */
  add: route({
    method: "POST",
    path: "/studies/:id/standing-searches",
    body: ask,
    answer: shape({ id: uuid }),
  }),
  remove: route({ method: "DELETE", path: "/standing-searches/:id" }),
};
