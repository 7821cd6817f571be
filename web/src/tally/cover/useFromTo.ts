import { useEffect, useMemo, useState } from "react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FromTo, fromToRoutes } from "@hindglance/contract/fromTo";
import type { ClassifySettings } from "@hindglance/core/classify/settings";
import { fromToTable } from "@hindglance/core/cover/fromToTable";
import { proposedClasses } from "@hindglance/core/cover/pairLegends";
import { type NamedTransition, withUnlikely } from "@hindglance/core/cover/unlikely";
import { call } from "../../api/call";
import { useRuns, useScenes } from "../../api/hooks";
import type { Scene } from "../../api/types";
import type { Classify } from "../../classify/useClassify";
import { useSame } from "../../lib/useSame";
import type { Legends } from "./pairing";
import { unlikelyIn } from "./unlikely";

type Pair = NonNullable<ClassifySettings["fromTo"]>;

const NONE: readonly Scene[] = [];
const NO_ZONES: readonly string[] = [];

/** Classified scenes of a study, the earliest first. */
export function useCovers(studyId: string): Scene[] {
  const scenes = useScenes(studyId).data ?? NONE;
  return useMemo(
    () =>
      scenes
        .filter(({ imageId, info }) => imageId && info?.type === "class8")
        .sort((a, b) => (a.acquiredAt ?? "").localeCompare(b.acquiredAt ?? "")),
    [scenes],
  );
}

const classesOf = (scene: Scene | undefined) => scene?.info?.classes ?? [];

/** Two maps with their classes paired by name. */
export function proposedPair(before: Scene, after: Scene): Pair {
  const classes = proposedClasses(classesOf(before), classesOf(after));
  return { beforeId: before.id, afterId: after.id, classes };
}

/** The pair that the study holds, or the first and the last map of it. */
function pairOf(held: Pair | null | undefined, covers: readonly Scene[]): Pair | null {
  const isThere = (id: string) => covers.some((scene) => scene.id === id);
  if (held && isThere(held.beforeId) && isThere(held.afterId)) {
    return held;
  }
  return covers.length >= 2 ? proposedPair(covers[0]!, covers.at(-1)!) : null;
}

/** Asks for the areas again when the run that measures them has ended. */
function useWhenMeasured(runId: string | null, again: () => void): number | null {
  const run = useRuns().data?.find((one) => one.id === runId);
  const isDone = run?.state === "done";
  useEffect(() => {
    if (isDone) {
      again();
    }
    // Only that the run has ended counts.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [isDone]);
  return run?.state === "running" ? run.progress : null;
}

/** The table of a zone that can be picked, and of the whole map; null while areas are not known. */
function useTables(made: FromTo | null, count: number) {
  const tally = made?.tally ?? null;
  const [asked, setZone] = useState<number | null>(null);
  const zones = made?.zones ?? NO_ZONES;
  const zone = asked !== null && asked <= zones.length ? asked : null;
  const table = useMemo(
    () => (tally ? fromToTable(tally, count, zone) : null),
    [tally, count, zone],
  );
  const whole = useMemo(() => (tally ? fromToTable(tally, count) : null), [tally, count]);
  /** Zones: null is the whole map, nought what is in no zone. */
  return { table, whole, zones, zone, setZone };
}

/** What became of what between two classified dates, and how their classes are paired. */
export function useFromTo(studyId: string, classify: Classify) {
  const covers = useCovers(studyId);
  const queryClient = useQueryClient();
  const pair = useSame(pairOf(classify.settings.fromTo, covers));
  const before = covers.find(({ id }) => id === pair?.beforeId);
  const after = covers.find(({ id }) => id === pair?.afterId);
  const legends: Legends = { before: classesOf(before), after: classesOf(after) };
  const queryKey = ["fromTo", studyId, pair, before?.imageId, after?.imageId];
  const query = useQuery({
    queryKey,
    queryFn: () => call(fromToRoutes.make, { params: { id: studyId }, body: pair! }),
    enabled: !!pair && classify.view !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const made = query.data ?? null;
  const measuring = useWhenMeasured(
    made?.runId ?? null,
    () => void queryClient.invalidateQueries({ queryKey }),
  );
  const isCurrent = !query.isPlaceholderData;
  return {
    ...{ covers, pair, before, after, legends, made, measuring },
    ...useTables(isCurrent ? made : null, pair?.classes.length ?? 0),
    isCurrent,
    error: query.error,
    unlikely: classify.settings.unlikely,
    setUnlikely: (one: NamedTransition, isOn: boolean) =>
      classify.change((old) => ({
        ...old,
        unlikely: withUnlikely(unlikelyIn(old.unlikely, pair?.classes ?? []), one, isOn),
      })),
    set: (next: Pair) => classify.change((old) => ({ ...old, fromTo: next })),
  };
}

/** What became of what, on screen. */
export type FromToOnScreen = ReturnType<typeof useFromTo>;
