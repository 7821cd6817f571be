import { compareRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { type QueryClient, keepPreviousData, skipToken, useQuery } from "@tanstack/react-query";
import { BY_RULES } from "@hindglance/core/change/classSource";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareHistograms } from "../api/types";
import { isOfCovers } from "./pair";
import type { Ground, Whole } from "./useVersions";

/**
 * Settings that histograms depend on: where cells are counted and what they hold, but neither rules
 * nor groups nor limits that work on classes.
 */
export function spreadOf(setup: ChangeSetup): ChangeSetup {
  return {
    ...setup,
    rules: emptySetup({ looks: 1, hasStudyArea: false, hasElevation: false }).rules,
    ...BY_RULES,
    limits: {
      studyArea: setup.limits.studyArea,
      seenMarginCells: setup.limits.seenMarginCells,
      maxSlopeDeg: null,
      minPatchCells: null,
      neighbours: 8,
    },
  };
}

type Pair = Pick<Whole, "beforeId" | "afterId">;

const histogramsQuery = (studyId: string, ground: Ground, pair: Pair, setup: ChangeSetup) => {
  const body = { beforeId: pair.beforeId, afterId: pair.afterId, setup: spreadOf(setup) };
  return {
    queryKey: ["compareHistograms", studyId, ...ground, body],
    queryFn: () => call(compareRoutes.histograms, { params: { id: studyId }, body }),
    staleTime: Infinity,
  };
};

/** Histograms of before, after and measure for settings that are not on screen yet. */
export const fetchHistograms = (
  queryClient: QueryClient,
  ...of: Parameters<typeof histogramsQuery>
): Promise<CompareHistograms> => queryClient.fetchQuery(histogramsQuery(...of));

/**
 * Histograms of the pair and settings on screen: `data` never those of other settings. `last`: what
 * was counted last, for the grey levels of the picture until the new ones are there.
 */
export function useHistograms(
  studyId: string,
  ground: Ground,
  whole: Pair | null,
  setup: ChangeSetup | null,
) {
  // Two classified dates have no thresholds, and no grey levels.
  const query =
    whole && setup && !isOfCovers(setup) ? histogramsQuery(studyId, ground, whole, setup) : null;
  const { data, isPlaceholderData, error } = useQuery<CompareHistograms>({
    queryKey: query?.queryKey ?? ["compareHistograms", studyId, "none"],
    queryFn: query?.queryFn ?? skipToken,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  });
  return { data: isPlaceholderData ? undefined : data, last: data, error };
}
