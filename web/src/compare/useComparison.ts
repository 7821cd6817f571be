import { useEffect, useMemo, useRef, useState } from "react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { buildChange } from "@hindglance/core/change/build";
import {
  type ChangeSetup,
  type ChangeNodes,
  comparingOf,
  measuresOf,
} from "@hindglance/core/change/setup";
import {
  emptySetup,
  emptyValueSetup,
  gainLossRules,
  initialRules,
} from "@hindglance/core/change/defaults";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { TallyData } from "@hindglance/core/tally/tally";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { api, sayError } from "../api/client";
import { keys, useRuns, useSides } from "../api/hooks";
import type {
  CompareHistograms,
  CompareNodes,
  Comparison,
  GroupFacts,
  Scene,
  Side,
  Study,
} from "../api/types";
import { useUi } from "../state/ui";
import type { Ask } from "./liveAreas.worker";
import type { LiveAreas } from "./liveAreas";
import { type ExactAreas, type SceneKind, areasOf, pairKinds, proposePair } from "./pair";
import { useCompare } from "./state";

/** Settings that a comparison begins with, by what its before side holds. */
export const startOf = (side: Side, study: Study, hasElevation: boolean): ChangeSetup =>
  side.info!.bands.some((band) => band.role === "power")
    ? emptySetup({ looks: side.looks, hasStudyArea: !!study.studyArea, hasElevation })
    : emptyValueSetup(side.info!.bands, { hazard: study.hazard, hasStudyArea: !!study.studyArea });
/**
 * Rules with thresholds from the pair's own histograms; those that go by published breaks stay as
 * they are.
 */
export function rulesFrom(
  setup: ChangeSetup,
  side: Side | null,
  compareHistograms: CompareHistograms,
): ChangeSetup["rules"] {
  const band = side?.info?.bands[setup.band];
  if (!band || comparingOf(band) !== "value") {
    return initialRules(compareHistograms);
  }
  return setup.measure === "indexLoss" && /nbr/i.test(band.name)
    ? setup.rules
    : gainLossRules(
        compareHistograms.measure,
        setup.measure !== "difference",
        band.role === "value",
      );
}

/** A value that follows another once that has been still for a while. */
function useSettled<T>(value: T, ms: number, hold: boolean): T {
  const [settled, set] = useState(value);
  useEffect(() => {
    if (hold) {
      return;
    }
    const timeout = setTimeout(() => set(value), ms);
    return () => clearTimeout(timeout);
  }, [value, ms, hold]);
  return settled;
}

/**
 * Everything the Compare stage works with: pair, settings, addresses of images, histograms, areas.
 */
export function useComparison(study: Study, scenes: Scene[]) {
  const queryClient = useQueryClient();
  const setup = useCompare((state) => state.setup);
  const dragging = useCompare((state) => state.dragFrom !== null);
  const opened = useCompare((state) => state.studyId);
  const saved = study.compare;
  const sides = useSides(study.id).data;
  const able = useMemo(
    () =>
      sides
        ? scenes.filter((scene) => !sides.find((side) => side.sceneId === scene.id)?.problem)
        : [],
    [sides, scenes],
  );
  const pairIds = useMemo(() => {
    const valid = (id: string | null | undefined) =>
      !!id && scenes.some((scene) => scene.id === id && scene.imageId);
    return valid(saved?.beforeId) && valid(saved?.afterId)
      ? { beforeId: saved!.beforeId!, afterId: saved!.afterId! }
      : proposePair(study, able);
  }, [study, scenes, able, saved]);
  const before = scenes.find((scene) => scene.id === pairIds?.beforeId) ?? null;
  const after = scenes.find((scene) => scene.id === pairIds?.afterId) ?? null;
  const sideOf = (id: string | undefined) => sides?.find((side) => side.sceneId === id) ?? null;
  const side = sideOf(before?.id);
  const a = sideOf(after?.id);
  const elevation = scenes.find((scene) => scene.kind === "elevation" && scene.imageId) ?? null;

  useEffect(() => {
    if (opened === study.id && setup) {
      return;
    }
    if (saved?.setup) {
      useCompare.getState().open(study.id, saved.setup);
      return;
    }
    if (before && after && side?.info) {
      useCompare.getState().open(study.id, startOf(side, study, !!elevation));
    }
  }, [opened, study, saved, setup, before, after, side, elevation]);
  const current = opened === study.id ? setup : null;
  const settled = useSettled(current, 350, dragging);
  const still = settled === current && !dragging;

  const ids = pairIds ? `${pairIds.beforeId}/${pairIds.afterId}` : "";
  const covers = useMemo(
    () => scenes.filter((scene) => scene.imageId && scene.info?.type === "class8"),
    [scenes],
  );
  const cover = covers.find((scene) => scene.id === current?.coverId) ?? null;
  const inputs = useMemo(
    () =>
      side?.info && side.node && a?.info && a.node
        ? {
            before: { node: side.node, info: side.info, cloud: side.cloud },
            after: { node: a.node, info: a.info, cloud: a.cloud },
            others: Object.fromEntries(
              (sides ?? []).flatMap((side) =>
                side.node && side.info
                  ? [[side.sceneId, { node: side.node, info: side.info }]]
                  : [],
              ),
            ),
            elevation: elevation?.info ? { id: elevation.imageId!, info: elevation.info } : null,
            cover: cover?.info ? { id: cover.imageId!, info: cover.info } : null,
            studyArea: study.studyArea ? multiPolygonFrom(study.studyArea) : null,
          }
        : null,
    [side, a, sides, elevation, cover, study.studyArea],
  );
  const unready = [
    [before, side],
    [after, a],
  ].find(([, x]) => (x as Side | null)?.problem) as [Scene, Side] | undefined;
  const built = useMemo((): { nodes: ChangeNodes | null; problem: string | null } => {
    if (!inputs || !current) {
      return { nodes: null, problem: null };
    }
    try {
      return { nodes: buildChange(inputs, current), problem: null };
    } catch (error) {
      return { nodes: null, problem: sayError(error) };
    }
  }, [inputs, current]);

  // For a moment after the kind of scene was changed the settings are of the other kind.
  const own = settled ? side?.info?.bands[settled.band] : undefined;
  const fits = !!settled && !!own && measuresOf(own).includes(settled.measure);
  const body = settled && fits && pairIds && inputs ? { ...pairIds, setup: settled } : null;
  const nodes = useQuery({
    queryKey: [
      "compareNodes",
      study.id,
      study.studyArea,
      elevation?.imageId,
      side?.node,
      a?.node,
      body,
    ],
    queryFn: () => api<CompareNodes>("POST", `/studies/${study.id}/compare/nodes`, body),
    enabled: !!body,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });
  const spread =
    settled && fits
      ? {
          ...settled,
          rules: emptySetup({ looks: 1, hasStudyArea: false, hasElevation: false }).rules,
          groups: null,
          limits: {
            studyArea: settled.limits.studyArea,
            seenMarginCells: settled.limits.seenMarginCells,
            maxSlopeDeg: null,
            minPatchCells: null,
            neighbours: 8 as const,
          },
        }
      : null;
  const histograms = useQuery({
    queryKey: ["compareHistograms", study.id, study.studyArea, ids, side?.node, a?.node, spread],
    queryFn: () =>
      api<CompareHistograms>("POST", `/studies/${study.id}/compare/histograms`, {
        ...pairIds,
        setup: spread,
      }),
    enabled: !!spread && !!pairIds && !!inputs,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });

  // A study that is compared for the first time gets thresholds from its own histograms.
  const fresh = !saved?.setup && useCompare.getState().past.length === 0;
  const started = useRef("");
  useEffect(() => {
    if (
      !fresh ||
      !histograms.data ||
      histograms.isPlaceholderData ||
      !current ||
      started.current === study.id + ids
    ) {
      return;
    }
    started.current = study.id + ids;
    const rules = rulesFrom(current, side, histograms.data);
    useCompare.getState().open(study.id, { ...current, rules });
  }, [fresh, histograms.data, histograms.isPlaceholderData, current, side, study.id, ids]);

  // What is on screen is what is kept.
  const kept = useRef("");
  useEffect(() => {
    if (
      !settled ||
      !pairIds ||
      !fits ||
      (fresh && (!histograms.data || histograms.isPlaceholderData))
    ) {
      return;
    }
    const compare = {
      beforeId: pairIds.beforeId,
      afterId: pairIds.afterId,
      setup: settled,
      ...(study.compare?.others ? { others: study.compare.others } : {}),
    };
    const text = JSON.stringify(compare);
    if (kept.current === text || JSON.stringify(study.compare) === text) {
      return;
    }
    kept.current = text;
    void api<Study>("PATCH", `/studies/${study.id}`, { compare }).then(
      (s) => queryClient.setQueryData(keys.study(study.id), s),
      (e) => useUi.getState().say(`These settings could not be kept. ${sayError(e)}`, "wrong"),
    );
  }, [
    settled,
    pairIds,
    fits,
    fresh,
    histograms.data,
    histograms.isPlaceholderData,
    study.compare,
    study.id,
    queryClient,
  ]);

  const kinds = useMemo(() => pairKinds(able), [able]);
  const kind = (before?.kind ?? null) as SceneKind | null;
  const setPair = (beforeId: string, afterId: string) =>
    keep({ beforeId, afterId, setup: current, ...(saved?.others ? { others: saved.others } : {}) });
  /** Goes over to the other kind of scene, with the settings that it was left with. */
  const setKind = (to: SceneKind) => {
    const back = saved?.others?.[to];
    const next =
      back?.beforeId &&
      back.afterId &&
      scenes.some((scene) => scene.id === back.beforeId) &&
      scenes.some((scene) => scene.id === back.afterId)
        ? back
        : { ...proposePair(study, able, to)!, setup: null };
    // What it begins with is opened here, for the page still holds the settings of the kind that is
    // left.
    const begins = sideOf(next.beforeId!);
    useCompare
      .getState()
      .open(study.id, next.setup ?? (begins?.info ? startOf(begins, study, !!elevation) : null));
    kept.current = "";
    keep({
      ...next,
      others: {
        ...saved?.others,
        ...(kind && pairIds ? { [kind]: { ...pairIds, setup: current } } : {}),
      },
    });
  };
  const keep = (compare: Comparison) => {
    queryClient.setQueryData<Study>(keys.study(study.id), (s) => (s ? { ...s, compare } : s));
    void api<Study>("PATCH", `/studies/${study.id}`, { compare }).catch((e) =>
      useUi.getState().say(sayError(e), "wrong"),
    );
  };

  const groupsHash = nodes.data?.groups?.groups.hash ?? null;
  const groups = useQuery({
    queryKey: [
      "compareGroups",
      study.id,
      groupsHash,
      side?.node,
      a?.node,
      settled?.band,
      settled?.bands,
    ],
    queryFn: () => api<GroupFacts>("POST", `/studies/${study.id}/compare/groups`, body),
    enabled: !!settled?.groups && !!groupsHash && !!body,
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    retry: false,
  });
  const has = {
    hidden: [side, a].some((side) => side?.info?.bands.some((band) => band.role === "hidden")),
    cloud: [side, a].some((side) => !!side?.cloud),
  };
  const live = useLiveAreas(nodes.data ?? null, built.nodes);
  const classesHash = built.nodes ? nodeHash(built.nodes.classes, versionOf) : null;
  const exact = useExactAreas(study.id, still && !built.problem ? body : null, classesHash);
  const classesReady = still && !!nodes.data && nodes.data.classes.hash === classesHash;
  return {
    covers,
    cover,
    groups,
    has,
    histogramsOf: spread?.measure ?? null,
    able,
    kinds,
    kind,
    setKind,
    side,
    pair: before && after ? { before, after } : null,
    bands: side?.info?.bands ?? [],
    unready: unready ? `${unready[0].name}: ${unready[1].problem}` : null,
    pairIds,
    setPair,
    setup: current,
    elevation,
    nodes,
    histograms,
    problem: built.problem,
    live,
    exact,
    classesHash,
    classesReady,
    dragging,
  };
}

/**
 * Areas from the worker, for the settings on screen. Asks no server while the stack stays the same.
 */
function useLiveAreas(
  nodes: CompareNodes | null,
  built: ChangeNodes | null,
): { areas: LiveAreas | null; hash: string | null } {
  const worker = useRef<Worker | null>(null);
  const seq = useRef(0);
  const hashes = useRef(new Map<number, string>());
  const [state, set] = useState<{ areas: LiveAreas | null; hash: string | null }>({
    areas: null,
    hash: null,
  });
  useEffect(() => {
    const w = new Worker(new URL("./liveAreas.worker.ts", import.meta.url), { type: "module" });
    w.onmessage = (e: MessageEvent<{ seq: number; areas?: LiveAreas; error?: string }>) => {
      const hash = hashes.current.get(e.data.seq) ?? null;
      for (const k of hashes.current.keys()) {
        if (k <= e.data.seq) {
          hashes.current.delete(k);
        }
      }
      if (e.data.areas) {
        set({ areas: e.data.areas, hash });
      } else {
        console.warn("Live areas:", e.data.error);
      }
    };
    worker.current = w;
    return () => {
      w.terminate();
      worker.current = null;
    };
  }, []);
  const gated = nodes?.gated ?? null;
  const groups = nodes?.groups?.groups ?? null;
  useEffect(() => {
    const hash = (node: NodeSpec) => nodeHash(node, versionOf);
    if (
      !gated ||
      !built ||
      hash(built.gated) !== gated.hash ||
      (built.groups ? hash(built.groups.groups) !== groups?.hash : false)
    ) {
      return;
    }
    const n = ++seq.current;
    hashes.current.set(n, hash(built.classes));
    worker.current?.postMessage({
      base: {
        gated,
        groups: built.groups ? groups : null,
        layers: built.layers.map((layer) => ({ name: layer.name, hash: hash(layer.node) })),
      },
      spec: built.classes,
      seq: n,
    } satisfies Ask);
  }, [gated, groups, built]);
  return state;
}

/** Areas of the whole image from the server, once the settings are still. */
function useExactAreas(
  studyId: string,
  body: { beforeId: string; afterId: string; setup: ChangeSetup } | null,
  hash: string | null,
): { areas: ExactAreas | null; running: number | null } {
  const asked = useQuery({
    queryKey: ["exactAreas", studyId, hash],
    queryFn: () =>
      api<{ tally?: TallyData; runId?: string }>("POST", `/studies/${studyId}/compare/areas`, body),
    enabled: !!body && !!hash,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  const run = useRuns().data?.find((r) => r.id === asked.data?.runId);
  const done = useQuery({
    queryKey: ["tally", hash],
    queryFn: () => api<{ tally: TallyData }>("GET", `/tallies/${hash}`),
    enabled: !!hash && run?.state === "done",
    staleTime: Infinity,
  });
  const tally = asked.data?.tally ?? done.data?.tally ?? null;
  const areas = useMemo(() => (tally ? areasOf(tally) : null), [tally]);
  return { areas, running: run?.state === "running" ? run.progress : null };
}
