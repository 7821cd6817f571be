import { type Alignment, alignedNode } from "@hindglance/core/align/alignment";
import { node, sourceNode } from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { isPictureFrame, isSensorFrame } from "@hindglance/core/radar/sensor";
import type { Client } from "../db/pool";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import type { StoredSources } from "../eval/sources";
import { notFound } from "../errors";
import type { ReadyScene } from "./families";
import { type Preparation, chainOfScene, comparableNode, preparations } from "./prepare";

/** Kinds of scenes that can stand on a side of a comparison. */
export const isDate = (s: Scene): s is ReadyScene =>
  (s.kind === "radar" || s.kind === "optical" || s.kind === "other") &&
  s.imageId !== null &&
  s.info !== null;

/** What decides how each scene of a study is compared: chains and alignments. */
export interface StudySides {
  study: Study;
  scenes: Scene[];
  chains: Preparation[];
  align: Record<string, Alignment>;
}
export async function studySides(c: Client, studyId: string): Promise<StudySides> {
  const study = await findStudy(c, studyId);
  if (!study) {
    throw notFound("study");
  }
  return {
    study,
    scenes: await listScenes(c, studyId),
    chains: await preparations(c, studyId),
    align: (study.align ?? {}) as Record<string, Alignment>,
  };
}

/**
 * A scene before Align: a product as its chain makes it, all else as it is stored, power out of
 * decibels. @throws InputError with the reason why it cannot be had
 */
export function rawNode(all: StudySides, s: ReadyScene): NodeSpec {
  const chain = chainOfScene(all.chains, s.id);
  if (chain) {
    return comparableNode(chain, s.id);
  }
  if (isSensorFrame(s.info.grid.crs) && !isPictureFrame(s.info.grid.crs)) {
    throw new InputError("lies in sensor geometry");
  }
  return s.info.bands.some((b) => b.role === "decibel")
    ? node("radar.power", {}, sourceNode(s.imageId))
    : sourceNode(s.imageId);
}

/**
 * A scene as it is compared: prepared, aligned, levelled. @throws InputError with the reason why it
 * cannot be
 */
export async function sideNode(
  sources: StoredSources,
  all: StudySides,
  s: ReadyScene,
): Promise<{ node: NodeSpec; info: ImageInfo }> {
  const e = new Evaluator({ sources });
  const raw = rawNode(all, s);
  const info = await e.info(raw);
  const a = all.align[s.id] ?? null;
  const to = a?.place ? all.scenes.find((x) => x.id === a.place!.referenceId) : undefined;
  const grid =
    isPictureFrame(info.grid.crs) && to && isDate(to) && to.id !== s.id
      ? (await e.info(rawNode(all, to))).grid
      : null;
  const n = alignedNode(raw, info, a, grid && !isSensorFrame(grid.crs) ? grid : null);
  return { node: n, info: n === raw ? info : await e.info(n) };
}

/**
 * Where a scene's quality band says that cloud or its shadow lies, moved as the scene is; null for
 * a scene without such a band.
 */
export async function cloudSide(
  sources: StoredSources,
  all: StudySides,
  s: ReadyScene,
): Promise<{ node: NodeSpec; info: ImageInfo } | null> {
  if (!s.info.bands.some((b) => b.role === "quality")) {
    return null;
  }
  const e = new Evaluator({ sources });
  const raw = node("mask.cloud", {}, sourceNode(s.imageId));
  const place = all.align[s.id]?.place ?? null;
  const n = alignedNode(raw, await e.info(raw), place ? { place, level: null } : null, null);
  return { node: n, info: await e.info(n) };
}
