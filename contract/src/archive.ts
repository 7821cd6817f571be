import * as yup from "yup";
import { route } from "./route";
import {
  type Of,
  daySchema,
  flag,
  list,
  number,
  numberOrNull,
  ofCoreOrNull,
  shape,
  text,
  textOrNull,
  uuid,
} from "./shapes";

/** What an archive can hold for a study. */
export const ARCHIVE_KINDS = ["radar", "elevation", "orbit"] as const;
export type ArchiveKind = (typeof ARCHIVE_KINDS)[number];
const kind = yup.string().oneOf(ARCHIVE_KINDS).required();

const archiveState = shape({
  /** Whether the server was started with one. */
  set: flag,
  problem: textOrNull,
  title: textOrNull,
  host: textOrNull,
  kinds: list(kind),
});
/** The archive that the server knows, if any. */
export type ArchiveState = Of<typeof archiveState>;

const found = shape({
  id: text,
  collection: text,
  kind,
  title: text,
  from: text,
  to: text,
  footprint: ofCoreOrNull<[number, number][]>(),
  pass: textOrNull,
  polarisations: list(text),
  mode: textOrNull,
  platform: textOrNull,
  bytes: numberOrNull,
  /** Whether there is a small picture of it. */
  picture: flag,
  /** Whether the study has it already. */
  have: flag,
});
/** An item of the archive; addresses of files stay in the server. */
export type Found = Of<typeof found>;

/** Polarisations that can be asked for. */
export const POLARISATIONS = ["VV", "VH", "HH", "HV"] as const;

const search = shape({
  kind: yup
    .string()
    .oneOf(["radar", "elevation"] as const)
    .required(),
  from: daySchema().nullable().default(null),
  to: daySchema().nullable().default(null),
  pass: yup
    .string()
    .oneOf(["ascending", "descending"] as const)
    .nullable()
    .default(null),
  polarisation: yup.string().oneOf(POLARISATIONS).nullable().default(null),
  anywhere: yup.boolean().default(false),
  next: yup.string().max(20_000).nullable().default(null),
});
/** What is searched for. */
export type ArchiveQuery = Of<typeof search>;

const answer = shape({
  items: list(found),
  /** What asks for those that follow; null: these are all. */
  next: textOrNull,
  /** Items that cannot be read. */
  leftOut: number,
  within: yup
    .string()
    .oneOf(["study area", "scenes"] as const)
    .nullable()
    .defined(),
});
/** What a search found. */
export type ArchiveAnswer = Of<typeof answer>;

const lacking = shape({
  orbits: list(shape({ sceneId: uuid, sceneName: text, item: found.nullable().defined() })),
  elevation: shape({ items: list(found), bytes: number })
    .nullable()
    .defined(),
  problem: textOrNull,
});
/** What a study's chain lacks and the archive has. */
export type Lacking = Of<typeof lacking>;

/** Routes of the archive: searched, what a study lacks, fetched. */
export const archiveRoutes = {
  state: route({ method: "GET", path: "/archive", answer: archiveState }),
  search: route({
    method: "POST",
    path: "/studies/:id/archive/search",
    body: search,
    answer,
  }),
  lacking: route({ method: "GET", path: "/studies/:id/archive/lacking", answer: lacking }),
  /** Fetches items in a run. */
  fetch: route({
    method: "POST",
    path: "/studies/:id/archive/fetch",
    body: shape({
      kind,
      items: yup
        .array(
          yup
            .object({
              collection: yup.string().max(200).required(),
              id: yup.string().max(300).required(),
            })
            .noUnknown()
            .required(),
        )
        .min(1)
        .max(200)
        .required(),
    }),
    answer: shape({ runId: uuid }),
  }),
};
