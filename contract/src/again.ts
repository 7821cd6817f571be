import * as yup from "yup";
import type { Account } from "@hindglance/core/again/account";
import { route } from "./route";
import { type Of, ofCore, shape, text, uuid, uuidOrNull, whole } from "./shapes";

const account = ofCore<Account>();
/** Scenes of the study by what the account says that they hold. */
const scenes = ofCore<Record<string, string>>();

const sceneAsk = shape({ account, scenes, content: text });
const mapAsk = shape({ account, scenes });
/** What a map is made again from: its account, and the scenes that were brought in. */
export type AgainAsk = Of<typeof mapAsk>;

const editsAsk = shape({
  account,
  /** Which of its edits are done, counted from nought: those of the first map, of the one from that, … */
  stage: yup.number().integer().min(0).required(),
});
/** Edits of an account that are done on a map. */
export type EditsAsk = Of<typeof editsAsk>;

/** Routes by which a map is made again from its account, in a study that has its files. */
export const againRoutes = {
  /** Computes a scene as it was computed then. */
  scene: route({
    method: "POST",
    path: "/studies/:id/again/scene",
    body: sceneAsk,
    answer: shape({ sceneId: uuid, runId: uuid }),
  }),
  /** Computes results of chains that were kept then; null where none was. */
  keep: route({
    method: "POST",
    path: "/studies/:id/again/keep",
    body: mapAsk,
    answer: shape({ runId: uuidOrNull }),
  }),
  /** Writes the map as it was written then. */
  map: route({
    method: "POST",
    path: "/studies/:id/again/map",
    body: mapAsk,
    answer: shape({ runId: uuid }),
  }),
  /** Does the edits of an account on a map that has none yet; gives where they stand then. */
  edits: route({
    method: "POST",
    path: "/change-maps/:id/again/edits",
    body: editsAsk,
    answer: shape({ head: whole }),
  }),
};
