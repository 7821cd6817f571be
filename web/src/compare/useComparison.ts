import { compareRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { buildChange } from "@hindglance/core/change/build";
import {
  type ChangeInputs,
  type ChangeNodes,
  type ChangeSetup,
} from "@hindglance/core/change/setup";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { sayError } from "../api/client";
import { useSides } from "../api/hooks";
import type { CompareNodes, Scene, Side, Study } from "../api/types";
import { type SceneKind, pairKinds } from "./pair";
import { useExactAreas, useLiveAreas } from "./useAreas";
import { useHistograms } from "./useHistograms";
import { type Ground, type Whole, useVersions } from "./useVersions";

const NONE: Side[] = [];
const byId = <T extends { id: string }>(all: readonly T[], id: string | null | undefined) =>
  all.find((one) => one.id === id) ?? null;

/** What the nodes of a comparison are built from; null while something of it is missing. */
function inputsOf(
  study: Study,
  sides: readonly Side[],
  pair: [Side | null, Side | null],
  elevation: Scene | null,
  cover: Scene | null,
): ChangeInputs | null {
  const [before, after] = pair;
  if (!before?.info || !before.node || !after?.info || !after.node) {
    return null;
  }
  return {
    before: { node: before.node, info: before.info, cloud: before.cloud },
    after: { node: after.node, info: after.info, cloud: after.cloud },
    others: Object.fromEntries(
      sides.flatMap(({ sceneId, node, info }) => (node && info ? [[sceneId, { node, info }]] : [])),
    ),
    elevation: elevation?.info ? { id: elevation.imageId!, info: elevation.info } : null,
    cover: cover?.info ? { id: cover.imageId!, info: cover.info } : null,
    studyArea: study.studyArea ? multiPolygonFrom(study.studyArea) : null,
  };
}

interface Built {
  nodes: ChangeNodes | null;
  problem: string | null;
}

function built(inputs: ChangeInputs | null, setup: ChangeSetup | null): Built {
  if (!inputs || !setup) {
    return { nodes: null, problem: null };
  }
  try {
    return { nodes: buildChange(inputs, setup), problem: null };
  } catch (error) {
    return { nodes: null, problem: sayError(error) };
  }
}

/** Scenes, sides and inputs that a study can be compared with. */
function useMaterial(study: Study, scenes: Scene[]) {
  const sides = useSides(study.id).data;
  const all = sides ?? NONE;
  const able = useMemo(
    () => scenes.filter((scene) => all.some((side) => side.sceneId === scene.id && !side.problem)),
    [all, scenes],
  );
  const covers = useMemo(
    () => scenes.filter((scene) => scene.imageId && scene.info?.type === "class8"),
    [scenes],
  );
  const elevation =
    scenes.find((scene) => scene.kind === "elevation" && scene.imageId && scene.info) ?? null;
  const hashes = all.map((side) => side.hash).join();
  const images = `${elevation?.imageId ?? ""} ${covers.map((scene) => scene.imageId).join()}`;
  const ground: Ground = useMemo(
    () => [hashes, JSON.stringify(study.studyArea), images],
    [hashes, study.studyArea, images],
  );
  const kinds = useMemo(() => pairKinds(able), [able]);
  return { sides, able, covers, elevation, ground, kinds };
}

/** Groups of a comparison, where its classes come from groups. */
function useGroups(studyId: string, whole: Whole | null, nodes: CompareNodes | null) {
  const setup = whole?.setup ?? null;
  const hash = nodes?.groups?.groups.hash ?? null;
  return useQuery({
    queryKey: ["compareGroups", studyId, hash, setup?.band, setup?.bands],
    queryFn: () =>
      call(compareRoutes.groups, {
        params: { id: studyId },
        body: { beforeId: whole!.beforeId, afterId: whole!.afterId, setup: setup! },
      }),
    enabled: !!setup?.groups && !!hash && !!whole,
    staleTime: Infinity,
    retry: false,
  });
}

/** Numbers of the map on screen: exact where they are there, else of the overview. */
function useNumbers(
  versions: ReturnType<typeof useVersions>,
  nodes: ChangeNodes | null,
  hash: string | null,
) {
  const { view, isCurrent, dragging } = versions;
  const live = useLiveAreas(view?.nodes ?? null, nodes);
  const answer = isCurrent && view?.areas?.hash === hash ? view.areas : null;
  const exact = useExactAreas(answer);
  // While a threshold is dragged the areas of a moment ago stand; else only those of this very map.
  const overview = live.hash === hash || dragging ? live.areas : null;
  const isExact = !dragging && exact.areas !== null;
  return {
    areas: isExact ? exact.areas : overview,
    isExact,
    limits: isExact ? exact.areas!.limits : null,
    running: exact.running,
    waitsForRun: answer?.state === "notRun",
  };
}

const wholeOf = (
  comparison: { beforeId: string | null; afterId: string | null; setup: ChangeSetup | null } | null,
): Whole | null =>
  comparison?.beforeId && comparison.afterId
    ? { ...comparison, beforeId: comparison.beforeId, afterId: comparison.afterId }
    : null;

/**
 * Everything the Compare stage works with. Settings, nodes and numbers belong to one version: an
 * answer for other settings is not handed out as one for these.
 */
export function useComparison(study: Study, scenes: Scene[]) {
  const material = useMaterial(study, scenes);
  const { sides, ground, covers, elevation } = material;
  const versions = useVersions(study.id, ground);
  const whole = useMemo(() => wholeOf(versions.comparison), [versions.comparison]);
  const setup = whole?.setup ?? null;
  const before = byId(scenes, whole?.beforeId);
  const after = byId(scenes, whole?.afterId);
  const sideOf = (id: string | undefined) => sides?.find((side) => side.sceneId === id) ?? null;
  const side = sideOf(before?.id);
  const otherSide = sideOf(after?.id);
  const cover = byId(covers, setup?.coverId);
  const inputs = useMemo(
    () => inputsOf(study, sides ?? NONE, [side, otherSide], elevation, cover),
    [study, sides, side, otherSide, elevation, cover],
  );
  const { nodes: builtNodes, problem } = useMemo(() => built(inputs, setup), [inputs, setup]);
  const hash = builtNodes ? nodeHash(builtNodes.classes, versionOf) : null;
  const numbers = useNumbers(versions, builtNodes, problem ? null : hash);
  const view = versions.view;
  // The picture is of the settings on screen only when its stack is the one that they ask for.
  const isDrawn =
    !!view?.nodes &&
    !!builtNodes &&
    nodeHash(builtNodes.stack, versionOf) === view.nodes.stack.hash;
  return {
    ...material,
    pair: before && after ? { before, after } : null,
    whole,
    setup,
    side,
    sideOf,
    bands: side?.info?.bands ?? [],
    kind: (before?.kind ?? null) as SceneKind | null,
    cover,
    has: {
      hidden: [side, otherSide].some((one) => one?.info?.bands.some((b) => b.role === "hidden")),
      cloud: [side, otherSide].some((one) => !!one?.cloud),
    },
    isFresh: versions.isFresh,
    dragging: versions.dragging,
    nodes: view?.nodes ?? null,
    drawnSetup: isDrawn ? setup : (view?.comparison?.setup ?? null),
    classesReady: versions.isCurrent && view?.nodes?.classes.hash === hash,
    notRun: versions.isCurrent ? (view?.notRun ?? []) : [],
    measureAnyway: versions.measureAnyway,
    histograms: useHistograms(study.id, ground, inputs ? whole : null, setup),
    groups: useGroups(study.id, versions.isCurrent ? whole : null, view?.nodes ?? null),
    numbers,
    problem: problem ?? unready(before, side) ?? unready(after, otherSide) ?? answerProblem(view),
    error: versions.error,
  };
}

/** What the Compare stage works with, as its panels get it. */
export type ComparisonOnScreen = ReturnType<typeof useComparison>;

const unready = (scene: Scene | null, side: Side | null): string | null =>
  scene && side?.problem ? `${scene.name}: ${side.problem}. See Prepare.` : null;

const answerProblem = (
  view: { problem: { message: string; hint: string | null } | null } | null,
): string | null =>
  view?.problem ? `${view.problem.message}. ${view.problem.hint ?? ""}`.trim() : null;
