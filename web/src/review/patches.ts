import { useQueries, useQuery } from "@tanstack/react-query";
import { type PatchQuery, type PatchSort, changeMapRoutes } from "@hindglance/contract/changeMaps";
import { unlikelyClasses } from "@hindglance/core/change/transitions";
import { measureOf } from "@hindglance/core/change/measures/all";
import { call } from "../api/call";
import type { ChangeMap, PatchRow } from "../api/types";

export type { PatchQuery, PatchSort } from "@hindglance/contract/changeMaps";

/** Every patch, the largest first. */
export const ALL_PATCHES: PatchQuery = {
  labels: null,
  standings: null,
  zone: null,
  within: null,
  first: null,
  leastM2: null,
  mostM2: null,
  measureFrom: null,
  measureTo: null,
  elevationFrom: null,
  elevationTo: null,
  doubtFrom: null,
  doubtTo: null,
  sort: "area",
  down: true,
};

/** By what a map's column of change is sorted: by its size where either sign can be strong. */
export const changeSort = (map: ChangeMap): PatchSort =>
  measureOf(map.setup.measure).isTwoSided ? "strength" : "measure";

/** Classes of a map that hold a transition which hardly happens; null where it has none. */
export function unlikelyOf({ setup: { transitions } }: ChangeMap): number[] | null {
  const labels = transitions ? unlikelyClasses(transitions) : [];
  return labels.length > 0 ? labels : null;
}

/** How the list of a map begins: what hardly happens first, else the strongest first where strength tells more than size. */
export const firstAsk = (map: ChangeMap): PatchQuery => {
  const { transitions } = map.setup;
  if (transitions) {
    return { ...ALL_PATCHES, first: unlikelyOf(map) };
  }
  const sort = changeSort(map);
  return sort === "strength" ? { ...ALL_PATCHES, sort } : ALL_PATCHES;
};

/** Whether a question leaves patches out by anything but their class and how they stand. */
export const isFiltered = (ask: PatchQuery): boolean =>
  [
    ask.zone,
    ask.leastM2,
    ask.mostM2,
    ask.measureFrom,
    ask.measureTo,
    ask.elevationFrom,
    ask.elevationTo,
    ask.doubtFrom,
    ask.doubtTo,
  ].some((end) => end !== null);

/** Patches that are fetched at a time. */
export const PAGE = 100;

const pageOf = (map: ChangeMap, ask: PatchQuery, page: number) => ({
  queryKey: ["patches", map.id, ask, page],
  queryFn: () =>
    call(changeMapRoutes.patches, {
      params: { id: map.id },
      query: { ...ask, offset: page * PAGE, limit: PAGE },
    }),
  staleTime: Infinity,
});

/** How many patches are asked for, and their area. */
export const usePatchCount = (map: ChangeMap, ask: PatchQuery) => useQuery(pageOf(map, ask, 0));

/**
 * Rows of a list of any length, fetched a page at a time where they are looked at. @param seen
 * first and last row in view
 */
export function usePatchRows(
  map: ChangeMap,
  ask: PatchQuery,
  seen: readonly [number, number],
): (row: number) => PatchRow | null {
  const from = Math.floor(seen[0] / PAGE);
  const to = Math.floor(seen[1] / PAGE);
  const pages = useQueries({
    queries: Array.from({ length: to - from + 1 }, (_v, k) => pageOf(map, ask, from + k)),
  });
  return (row) => pages[Math.floor(row / PAGE) - from]?.data?.patches[row % PAGE] ?? null;
}

/** Place of a patch in the list; null where the question leaves it out. */
export const placeOf = async (
  map: ChangeMap,
  ask: PatchQuery,
  patch: PatchRow,
): Promise<number | null> => {
  const answer = await call(changeMapRoutes.place, {
    params: { id: map.id },
    query: { ...ask, number: patch.number },
  });
  return answer.place;
};
