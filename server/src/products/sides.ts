import { isCompared } from "@hindglance/contract/comparison";
import { type Alignment, alignedNode } from "@hindglance/core/align/alignment";

import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";

import type { Client } from "../db/pool";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import type { StoredSources } from "../eval/sources";
import { notFound } from "../errors";
import { type ReadyScene, isReady } from "./families";
import { type Preparation, chainOfScene, comparableNode, preparations } from "./preparation";
import { isPictureFrame, isSensorFrame } from "@hindglance/core/grid/frames";

/** Kinds of scenes that can stand on a side of a comparison. */
export const isDate = (scene: Scene): scene is ReadyScene =>
  isCompared(scene.kind) && isReady(scene);

/** What decides how each scene of a study is compared: chains and alignments. */
export interface StudySides {
  study: Study;
  scenes: Scene[];
  chains: Preparation[];
  align: Record<string, Alignment>;
}

/**
 * Everything that decides how the scenes of a study are compared.
 * @throws AppError 404
 */
export async function studySides(client: Client, studyId: string): Promise<StudySides> {
  const study = await findStudy(client, studyId);
  if (!study) {
    throw notFound("study");
  }
  return {
    study,
    scenes: await listScenes(client, studyId),
    chains: await preparations(client, studyId),
    align: study.align ?? {},
  };
}

/**
 * A scene before Align: a product as its chain makes it, all else as it is stored, power out of
 * decibels. @throws InputError with the reason why it cannot be had
 */
export function rawNode(all: StudySides, readyScene: ReadyScene): NodeSpec {
  const chain = chainOfScene(all.chains, readyScene.id);
  if (chain) {
    return comparableNode(chain, readyScene.id);
  }
  if (isSensorFrame(readyScene.info.grid.crs) && !isPictureFrame(readyScene.info.grid.crs)) {
    throw new InputError("lies in sensor geometry");
  }
  return readyScene.info.bands.some((band) => band.role === "decibel")
    ? node("radar.power", {}, sourceNode(readyScene.imageId))
    : sourceNode(readyScene.imageId);
}

/**
 * A scene as it is compared: prepared, aligned, levelled. @throws InputError with the reason why it
 * cannot be
 */
export async function sideNode(
  sources: StoredSources,
  all: StudySides,
  readyScene: ReadyScene,
): Promise<{ node: NodeSpec; info: ImageInfo }> {
  const evaluator = new Evaluator({ sources });
  const raw = rawNode(all, readyScene);
  const info = await evaluator.info(raw);
  const alignment = all.align[readyScene.id] ?? null;
  const to = alignment?.place
    ? all.scenes.find((scene) => scene.id === alignment.place!.referenceId)
    : undefined;
  const grid =
    isPictureFrame(info.grid.crs) && to && isDate(to) && to.id !== readyScene.id
      ? (await evaluator.info(rawNode(all, to))).grid
      : null;
  const n = alignedNode(raw, info, alignment, grid && !isSensorFrame(grid.crs) ? grid : null);
  return { node: n, info: n === raw ? info : await evaluator.info(n) };
}

/**
 * Where a scene's quality band says that cloud or its shadow lies, moved as the scene is; null for
 * a scene without such a band.
 */
export async function cloudSide(
  sources: StoredSources,
  all: StudySides,
  readyScene: ReadyScene,
): Promise<{ node: NodeSpec; info: ImageInfo } | null> {
  if (!readyScene.info.bands.some((band) => band.role === "quality")) {
    return null;
  }
  const evaluator = new Evaluator({ sources });
  const raw = node("mask.cloud", {}, sourceNode(readyScene.imageId));
  const place = all.align[readyScene.id]?.place ?? null;
  const n = alignedNode(
    raw,
    await evaluator.info(raw),
    place ? { place, level: null } : null,
    null,
  );
  return { node: n, info: await evaluator.info(n) };
}
