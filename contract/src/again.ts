import type { Account } from "@hindglance/core/again/account";
import { route } from "./route";
import { type Of, ofCore, shape, text, uuid, uuidOrNull } from "./shapes";

const account = ofCore<Account>();
/** Scenes of the study by what the account says that they hold. */
const scenes = ofCore<Record<string, string>>();

const sceneAsk = shape({ account, scenes, content: text });
const mapAsk = shape({ account, scenes });
/** What a map is made again from: its account, and the scenes that were brought in. */
export type AgainAsk = Of<typeof mapAsk>;

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
};
