import { compareRoutes } from "@hindglance/contract/compare";
import { type QueryClient, skipToken, useQuery } from "@tanstack/react-query";
import { firstMapKind } from "@hindglance/core/change/firstMap/kind";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { call } from "../api/call";
import type { Side } from "../api/types";
import { spreadOf } from "./useHistograms";
import type { Ground, Whole } from "./useVersions";

type Pair = Pick<Whole, "beforeId" | "afterId">;

/** Settings that a first map depends on: what is looked at, which band, and how small a patch. */
function asked(setup: ChangeSetup): ChangeSetup {
  const spread = spreadOf(setup);
  return {
    ...spread,
    formula: null,
    bands: null,
    speckle: { ...spread.speckle, filter: "none" },
    limits: { ...spread.limits, minPatchCells: setup.limits.minPatchCells },
  };
}

const firstMapQuery = (studyId: string, ground: Ground, pair: Pair, setup: ChangeSetup) => {
  const body = { beforeId: pair.beforeId, afterId: pair.afterId, setup: asked(setup) };
  return {
    queryKey: ["compareFirstMap", studyId, ...ground, body],
    queryFn: () => call(compareRoutes.firstMap, { params: { id: studyId }, body }),
    staleTime: Infinity,
  };
};

/** Whether a first map is made of what is compared. */
export const hasFirstMap = (side: Side | null, setup: ChangeSetup): boolean => {
  const band = side?.info?.bands[setup.band];
  return !!band && firstMapKind(band, setup.measure) !== null;
};

/** The first map of a pair that may not be on screen yet. */
export const fetchFirstMap = (
  queryClient: QueryClient,
  ...of: Parameters<typeof firstMapQuery>
): Promise<FirstMap> => queryClient.fetchQuery(firstMapQuery(...of));

/** The first map of the pair on screen, and what it rests on; null until it is known. */
export function useFirstMap(
  studyId: string,
  ground: Ground,
  whole: Whole | null,
  side: Side | null,
) {
  const setup = whole?.setup;
  const query =
    setup && hasFirstMap(side, setup) ? firstMapQuery(studyId, ground, whole, setup) : null;
  const { data, error, isFetching } = useQuery<FirstMap>({
    queryKey: query?.queryKey ?? ["compareFirstMap", studyId, "none"],
    queryFn: query?.queryFn ?? skipToken,
    staleTime: Infinity,
    retry: false,
  });
  return { data: data ?? null, error, isFetching };
}
