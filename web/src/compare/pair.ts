import { SCENE_KINDS, type SceneKind } from "@hindglance/contract/comparison";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { nodeHash, sourceNode } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { LimitEffect } from "@hindglance/core/tally/effects";
import { Tally, type TallyData } from "@hindglance/core/tally/tally";
import type { Scene, Side, Study } from "../api/types";
import type { LiveAreas } from "./liveAreas";

export type { SceneKind };
/** Scenes of a kind that can stand on a side, by date. */
const ofKind = (scenes: Scene[], kind: SceneKind): Scene[] =>
  scenes
    .filter(
      (scene) =>
        scene.kind === kind && scene.imageId && scene.acquiredAt && scene.info?.type === "float32",
    )
    .sort((a, b) => (a.acquiredAt! < b.acquiredAt! ? -1 : 1));

/** Kinds of which a pair can be made. */
export const pairKinds = (scenes: Scene[]): SceneKind[] =>
  SCENE_KINDS.filter((kind) => ofKind(scenes, kind).length >= 2);
/**
 * Scenes that can stand on one side of a comparison with each other: of the kind asked for; else
 * radar, or else optical, or else what is neither.
 */
export function comparableScenes(scenes: Scene[], kind?: SceneKind | null): Scene[] {
  const wanted = kind ? ofKind(scenes, kind) : [];
  const all = SCENE_KINDS.map((each) => ofKind(scenes, each));
  return (
    [wanted, ...all.filter((each) => each.length >= 2), ...all].find((each) => each.length > 0) ??
    []
  );
}

/** The two scenes nearest to the event on either side; without an event the last two. */
export function proposePair(
  study: Study,
  scenes: Scene[],
  kind?: SceneKind | null,
): { beforeId: string; afterId: string } | null {
  const all = comparableScenes(scenes, kind);
  if (all.length < 2) {
    return null;
  }
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const before =
    event === null
      ? all[all.length - 2]
      : all.filter((scene) => Date.parse(scene.acquiredAt!) < event).pop();
  const after =
    event === null
      ? all[all.length - 1]
      : all.find((scene) => Date.parse(scene.acquiredAt!) > event);
  return before && after
    ? { beforeId: before.id, afterId: after.id }
    : { beforeId: all[0]!.id, afterId: all[all.length - 1]!.id };
}

/** A classified scene as a side of a comparison of what became of what; null where it is none. */
export const coverSide = ({ id, kind, imageId, info }: Scene): Side | null =>
  kind === "classes" && imageId && info
    ? {
        ...{ sceneId: id, family: null, node: sourceNode(imageId), info, problem: null },
        ...{
          hash: nodeHash(sourceNode(imageId), versionOf),
          cloud: null,
          looks: null,
          isKept: true,
        },
      }
    : null;

/** What a scene is compared as: its side, or itself where it is classified; null where it is not there. */
export const sideOfScene = (scene: Scene | null, sides: readonly Side[] | undefined): Side | null =>
  scene && (sides?.find(({ sceneId }) => sceneId === scene.id) ?? coverSide(scene));

/** Whether two classified dates are compared by their classes alone, without pictures. */
export const isOfCovers = ({ measure }: Pick<ChangeSetup, "measure">): boolean =>
  measure === "otherClass";

export type ExactAreas = {
  byLabel: LiveAreas["byLabel"];
  seenM2: number;
  /** What each limit did, in its order. */ limits: LimitEffect[];
  /** What a second sensor says of the map; null where none was asked. */
  confirmed: TallyData | null;
};

/** Areas by class out of a tally. */
export function areasOf(t: TallyData): ExactAreas {
  const tally = Tally.from(t);
  const byLabel: LiveAreas["byLabel"] = {};
  let seenM2 = 0;
  for (let level = 0; level < 255; level++) {
    const value = tally.total(level);
    if (value.cells) {
      byLabel[level] = value;
      seenM2 += value.areaM2;
    }
  }
  return { byLabel, seenM2, limits: t.limits ?? [], confirmed: t.confirmed ?? null };
}
