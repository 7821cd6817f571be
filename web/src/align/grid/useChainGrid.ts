import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Change, changesBetween } from "@hindglance/contract/changes";
import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import { type Family, gridOf, gridStep, withStep } from "@hindglance/core/chain/family";
import { type Grid, sameGrid } from "@hindglance/core/grid/grid";
import { call } from "../../api/call";
import { sayError } from "../../api/client";
import { keys } from "../../api/hooks";
import { type PrepareState, stateOf } from "../../prepare/chainState";
import { useUi } from "../../state/ui";

const withGrid = (family: Family, view: PrepareAnswer, grid: Grid): PrepareState => ({
  ...stateOf(view),
  chain: withStep(view.chain, gridStep(family), { grid }),
});

/**
 * The grid of a family's chain, as Prepare has it, and how it is changed.
 *
 * @param there whether the study has dates of the family; without them nothing is asked
 */
export function useChainGrid(studyId: string, family: Family, there: boolean) {
  const queryClient = useQueryClient();
  const key = [...keys.prepare(studyId), family];
  const where = { params: { id: studyId }, query: { family } };
  const view =
    useQuery({ queryKey: key, queryFn: () => call(prepareRoutes.board, where), enabled: there })
      .data ?? null;
  const put = useMutation({
    scope: { id: `prepare ${studyId} ${family}` },
    mutationFn: (changes: Change[]) => call(prepareRoutes.change, { ...where, body: { changes } }),
    onSuccess: (value) => {
      queryClient.setQueryData(key, value);
      for (const queryKey of [keys.sides(studyId), keys.align(studyId)]) {
        void queryClient.invalidateQueries({ queryKey });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  return {
    family,
    view,
    busy: put.isPending,
    set: (grid: Grid) => {
      if (view && !sameGrid(grid, gridOf(family, view.chain))) {
        put.mutate(changesBetween(stateOf(view), withGrid(family, view, grid)));
      }
    },
  };
}

/** The grid of a family's chain. */
export type ChainGrid = ReturnType<typeof useChainGrid>;
