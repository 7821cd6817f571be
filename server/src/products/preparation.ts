import {
  type Chain,
  FAMILIES,
  type Family,
  STEPS_OF,
  settingsOf,
  whyApart,
} from "@hindglance/core/chain/family";
import { chainRows } from "@hindglance/core/chain/chainRows";
import type { ChainResult, ChainScene } from "@hindglance/core/chain/row";
import { InputError } from "@hindglance/core/errors";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { PrepareState } from "@hindglance/contract/prepare";
import type { Client } from "../db/pool";
import { type StoredOrbit, listOrbits } from "../db/products";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { notFound } from "../errors";
import { type ChainInputs, HOUSES, type ReadyScene } from "./families";
import { brokenOrbits, orbitFor } from "./orbits";

/**
 * Everything that decides the chain of a sensor family in a study, and the nodes that follow from
 * it.
 */
export interface Preparation {
  family: Family;
  study: Study;
  state: PrepareState;
  /** Scenes of the family, those that are held out too. */
  scenes: ReadyScene[];
  elevations: ReadyScene[];
  /** The orbit file of each radar product, where there is one. */
  orbits: Map<string, StoredOrbit | null>;
  /** What the chain makes of each scene that is not held out. */
  nodes: Map<string, ChainResult>;
  /** Those scenes as the chain takes them. */
  chainScenes: Map<string, ChainScene>;
}

const isElevation = (scene: Scene): scene is ReadyScene =>
  scene.kind === "elevation" && scene.imageId !== null && scene.info !== null;

/** The orbit file of each radar product, where there is one, and those that have a gap there. */
async function orbitsOf(
  client: Client,
  studyId: string,
  family: Family,
  scenes: readonly ReadyScene[],
): Promise<Pick<ChainInputs, "orbits" | "brokenOrbits">> {
  if (family !== "radar") {
    return { orbits: new Map(), brokenOrbits: new Map() };
  }
  const files = await listOrbits(client, studyId);
  return {
    orbits: new Map(scenes.map((scene) => [scene.id, orbitFor(files, scene)])),
    brokenOrbits: new Map(scenes.map((scene) => [scene.id, brokenOrbits(files, scene)])),
  };
}

async function gathered(client: Client, studyId: string, family: Family): Promise<ChainInputs> {
  const study = await findStudy(client, studyId);
  if (!study) {
    throw notFound("study");
  }
  const all = await listScenes(client, studyId);
  const scenes = all.filter(HOUSES[family].takes);
  return {
    study,
    scenes,
    elevations: all.filter(isElevation),
    ...(await orbitsOf(client, studyId, family, scenes)),
  };
}

/**
 * The chain of a family in a study, as it is set or as it is proposed.
 * @param given settings to look at instead of the stored ones
 * @throws AppError 404
 */
export async function preparation(
  client: Client,
  studyId: string,
  family: Family,
  given?: PrepareState,
): Promise<Preparation> {
  const house = HOUSES[family];
  const inputs = await gathered(client, studyId, family);
  const { study, scenes, elevations } = inputs;
  const state = given ??
    study[house.field] ?? {
      chain: house.propose(inputs),
      exceptions: {},
      heldOut: [],
    };
  const steps = STEPS_OF[family];
  const dated = await house.dated(
    client,
    { ...inputs, scenes: scenes.filter((scene) => !state.heldOut.includes(scene.id)) },
    (id) => settingsOf(steps, state.chain, state.exceptions, id),
  );
  return {
    family,
    study,
    state,
    scenes,
    elevations,
    orbits: inputs.orbits,
    nodes: chainRows<ChainScene, Chain>(steps, dated),
    chainScenes: new Map(dated.map(({ scene }) => [scene.id, scene])),
  };
}

/** The settings that one date has. */
export const settingsAt = ({ family, state }: Preparation, sceneId: string): Chain =>
  settingsOf(STEPS_OF[family], state.chain, state.exceptions, sceneId);

/** Chains of all families of a study that have scenes. */
export async function preparations(client: Client, studyId: string): Promise<Preparation[]> {
  const scenes = await listScenes(client, studyId);
  const out: Preparation[] = [];
  for (const family of FAMILIES) {
    if (scenes.some(HOUSES[family].takes)) {
      out.push(await preparation(client, studyId, family));
    }
  }
  return out;
}

/** The chain that a scene goes through, or null where it goes through none. */
export const chainOfScene = (all: readonly Preparation[], sceneId: string): Preparation | null =>
  all.find((prepared) => prepared.scenes.some((scene) => scene.id === sceneId)) ?? null;

/**
 * What the chain makes of a scene, as it can stand in a comparison. @throws InputError with the
 * reason why it cannot
 */
export function comparableNode(prepared: Preparation, sceneId: string): NodeSpec {
  const chainResult = prepared.nodes.get(sceneId);
  if (!chainResult) {
    throw new InputError("held out of the chain", undefined, "Take it back in under Prepare.");
  }
  if (chainResult.error) {
    throw chainResult.error;
  }
  const apart = whyApart(prepared.family, prepared.state.chain);
  if (apart) {
    throw new InputError(apart, undefined, "Switch that step on under Prepare.");
  }
  return chainResult.result;
}
