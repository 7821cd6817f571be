import { compareRoutes } from "@hindglance/contract/compare";
import { SCENE_KINDS } from "@hindglance/contract/comparison";
import { call } from "../api/call";
import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import { buildChange, countedNode, otherPolarisation } from "@hindglance/core/change/build";
import { seriesFrom } from "@hindglance/core/change/series";
import {
  type ChangeInputs,
  type ChangeNodes,
  type ChangeSetup,
} from "@hindglance/core/change/setup";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { sayError } from "../api/client";
import { useSides } from "../api/hooks";
import type { CompareNodes, Scene, Side, Study } from "../api/types";
import { pairKinds, sideOfScene } from "./pair";
import { useExactAreas, useLiveAreas } from "./useAreas";
import { useFirstMap } from "./useFirstMap";
import { useHistograms } from "./useHistograms";
import { type Ground, type Whole, useVersions } from "./useVersions";

const NONE: Side[] = [];
const NO_BANDS: BandInfo[] = [];
const byId = <T extends { id: string }>(all: readonly T[], id: string | null | undefined) =>
  all.find((one) => one.id === id) ?? null;

/** Both classified dates that classes come from. */
type Covers = Record<"before" | "after", Scene | null>;

const classesOf = (scene: Scene | null) =>
  scene?.info ? { id: scene.imageId!, info: scene.info } : null;

function coversOf(covers: Covers): ChangeInputs["covers"] {
  const [before, after] = [classesOf(covers.before), classesOf(covers.after)];
  return before && after ? { before, after } : null;
}

/** Dates of the series of a pair, as the server takes them. */
const seriesSides = (
  scenes: readonly Scene[],
  sides: readonly Side[],
  pair: { beforeId: string; afterId: string },
  setup: ChangeSetup,
) => {
  const candidates = scenes.flatMap((scene) => {
    const side = sides.find(({ sceneId }) => sceneId === scene.id);
    return side
      ? [
          {
            ...{ id: scene.id, acquiredAt: scene.acquiredAt, kind: scene.kind },
            ...{ pass: scene.detail.pass, isKept: side.isKept },
            side: side.node && side.info ? { node: side.node, info: side.info } : null,
          },
        ]
      : [];
  });
  return seriesFrom(candidates, pair, setup)?.sides;
};

/** What the nodes of a comparison are built from; null while something of it is missing. */
function inputsOf(
  study: Study,
  sides: readonly Side[],
  pair: [Side | null, Side | null],
  { elevation, cover, covers }: { elevation: Scene | null; cover: Scene | null; covers: Covers },
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
    cover: classesOf(cover),
    covers: coversOf(covers),
    studyArea: study.studyArea ? multiPolygonFrom(study.studyArea) : null,
  };
}

interface Built {
  nodes: ChangeNodes | null;
  problem: string | null;
}

/** Dates of the second sensor that the settings name. */
function secondSides(
  sides: readonly Side[],
  second: ChangeSetup["second"],
): Pick<ChangeInputs, "second"> {
  if (!second) {
    return {};
  }
  const sideOf = (id: string | null) => {
    const found = sides.find(({ sceneId }) => sceneId === id);
    const { node, info, cloud } = found ?? { node: null, info: null, cloud: null };
    return node && info ? { node, info, cloud } : null;
  };
  return { second: { before: sideOf(second.beforeId), after: sideOf(second.afterId) } };
}

function built(
  inputs: ChangeInputs | null,
  setup: ChangeSetup | null,
  { series, sides }: { series: ChangeInputs["series"]; sides: readonly Side[] },
): Built {
  if (!inputs || !setup) {
    return { nodes: null, problem: null };
  }
  try {
    const all = {
      ...inputs,
      ...(series ? { series } : {}),
      ...secondSides(sides, setup.second),
    };
    return { nodes: buildChange(all, setup), problem: null };
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

type Material = ReturnType<typeof useMaterial>;

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
  { hash, countedHash }: { hash: string | null; countedHash: string | null },
) {
  const { view, isCurrent, dragging } = versions;
  const live = useLiveAreas(view?.nodes ?? null, nodes);
  const answer = isCurrent && view?.areas?.hash === countedHash ? view.areas : null;
  const exact = useExactAreas(answer);
  // While a threshold is dragged the areas of a moment ago stand; else only those of this very map.
  const overview = live.hash === hash || dragging ? live.areas : null;
  const isExact = !dragging && exact.areas !== null;
  return {
    areas: isExact ? exact.areas : overview,
    isExact,
    limits: isExact ? exact.areas!.limits : null,
    confirmed: isExact ? exact.areas!.confirmed : null,
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

/** The two scenes of a comparison, how each is compared, and the raster that rules look at. */
function usePair(scenes: Scene[], material: Material, whole: Whole | null) {
  const { sides, covers } = material;
  const before = byId(scenes, whole?.beforeId);
  const after = byId(scenes, whole?.afterId);
  const sideOf = (id: string | undefined) => sides?.find((side) => side.sceneId === id) ?? null;
  // Classified dates stand for themselves where there are no pictures of them.
  const [side, otherSide] = useMemo(
    () => [sideOfScene(before, sides), sideOfScene(after, sides)] as const,
    [sides, before, after],
  );
  const both = [side, otherSide];
  return {
    before,
    after,
    side,
    otherSide,
    sideOf,
    ...classifiedOf(covers, whole?.setup ?? null),
    kind: SCENE_KINDS.find((kind) => kind === before?.kind) ?? null,
    has: {
      hidden: both.some((one) => one?.info?.bands.some(({ role }) => role === "hidden")),
      cloud: both.some((one) => !!one?.cloud),
      cross: hasCross(both, whole?.setup?.band),
    },
    unready: unready(before, side) ?? unready(after, otherSide),
  };
}

/** The classified rasters that a comparison looks at: of its zones, and of both dates from–to. */
function classifiedOf(covers: Scene[], setup: ChangeSetup | null) {
  const transitions = setup?.transitions;
  return {
    cover: byId(covers, setup?.coverId),
    coverBefore: byId(covers, transitions?.beforeId),
    coverAfter: byId(covers, transitions?.afterId),
  };
}

/** Whether both dates have another polarisation than the band that is compared. */
function hasCross([before, after]: (Side | null)[], k: number | undefined): boolean {
  const band = k === undefined ? undefined : before?.info?.bands[k];
  return (
    !!band &&
    !!before?.info &&
    !!after?.info &&
    otherPolarisation({ before: { info: before.info }, after: { info: after.info } }, band) !== null
  );
}

/** The nodes that the settings on screen ask for, and why there are none. */
function useBuilt(
  study: Study,
  scenes: readonly Scene[],
  { sides, elevation }: Material,
  { side, otherSide, cover, coverBefore, coverAfter }: ReturnType<typeof usePair>,
  setup: ChangeSetup | null,
) {
  const inputs = useMemo(
    () =>
      inputsOf(study, sides ?? NONE, [side, otherSide], {
        ...{ elevation, cover },
        covers: { before: coverBefore, after: coverAfter },
      }),
    [study, sides, side, otherSide, elevation, cover, coverBefore, coverAfter],
  );
  const { nodes, problem } = useMemo(() => {
    const both = side && otherSide ? { beforeId: side.sceneId, afterId: otherSide.sceneId } : null;
    const series = both && setup ? seriesSides(scenes, sides ?? NONE, both, setup) : undefined;
    return built(inputs, setup, { series, sides: sides ?? NONE });
  }, [inputs, setup, scenes, sides, side, otherSide]);
  const hashOf = (node: NodeSpec | null) => node && nodeHash(node, versionOf);
  return {
    ...{ inputs, nodes, problem },
    hash: hashOf(nodes && nodes.classes),
    countedHash: hashOf(nodes && countedNode(nodes)),
  };
}

/** What of the server's last answer belongs to the settings on screen. */
function answered(
  { view, isCurrent }: ReturnType<typeof useVersions>,
  { nodes: asked, hash }: ReturnType<typeof useBuilt>,
  setup: ChangeSetup | null,
) {
  const nodes = view?.nodes ?? null;
  return {
    nodes,
    drawnSetup: draws(nodes, asked) ? setup : (view?.comparison?.setup ?? null),
    classesReady: isCurrent && nodes?.classes.hash === hash,
    notRun: (isCurrent && view?.notRun) || [],
  };
}

/** The picture is of the settings on screen only when its stack is the one that they ask for. */
const draws = (nodes: CompareNodes | null, asked: ChangeNodes | null): boolean =>
  !!nodes && !!asked && nodeHash(asked.stack, versionOf) === nodes.stack.hash;

/**
 * Everything the Compare stage works with. Settings, nodes and numbers belong to one version: an
 * answer for other settings is not handed out as one for these.
 */
export function useComparison(study: Study, scenes: Scene[]) {
  const material = useMaterial(study, scenes);
  const { ground } = material;
  const versions = useVersions(study.id, ground);
  const whole = useMemo(() => wholeOf(versions.comparison), [versions.comparison]);
  const setup = whole?.setup ?? null;
  const pair = usePair(scenes, material, whole);
  const { before, after, side, sideOf, cover, kind, has } = pair;
  const made = useBuilt(study, scenes, material, pair, setup);
  const numbers = useNumbers(
    versions,
    made.nodes,
    made.problem ? { hash: null, countedHash: null } : made,
  );
  const counted = made.inputs ? whole : null;
  const { view, isCurrent } = versions;
  return {
    ...material,
    ...answered(versions, made, setup),
    pair: before && after ? { before, after } : null,
    ...{ whole, setup, side, sideOf, cover, kind, has },
    bands: side?.info?.bands ?? NO_BANDS,
    isFresh: versions.isFresh,
    dragging: versions.dragging,
    measureAnyway: versions.measureAnyway,
    histograms: useHistograms(study.id, ground, counted, setup),
    firstMap: useFirstMap(study.id, ground, counted, side),
    groups: useGroups(study.id, isCurrent ? whole : null, view?.nodes ?? null),
    numbers,
    problem: made.problem ?? pair.unready ?? answerProblem(view),
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
