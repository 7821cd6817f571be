import { type AlignRow, alignRoutes } from "@hindglance/contract/align";
import { changesBetween } from "@hindglance/contract/changes";
import { call } from "../api/call";
import { useQuery, useQueryClient, useMutation } from "@tanstack/react-query";
import type { Alignment } from "@hindglance/core/align/alignment";
import { sayError } from "../api/client";
import { keys } from "../api/hooks";
import { useUi } from "../state/ui";

export type { AlignRow, CheckNodes } from "@hindglance/contract/align";

/** What Align does to each date of a study. */
export const useAlign = (studyId: string) =>
  useQuery({
    queryKey: keys.align(studyId),
    queryFn: () => call(alignRoutes.list, { params: { id: studyId } }),
  });

/** Pictures of two dates to look whether they lie on each other. */
export const useCheck = (
  studyId: string,
  ask: { referenceId: string; sceneId: string; band: string; aligned: boolean } | null,
  version: string,
) =>
  useQuery({
    queryKey: ["alignCheck", studyId, ask, version],
    queryFn: () => call(alignRoutes.check, { params: { id: studyId }, body: ask! }),
    enabled: !!ask,
    staleTime: Infinity,
    retry: false,
    placeholderData: (old) => old,
  });

/** What Align did to a date, as the page saw it, and does from now on. */
interface AlignChange {
  sceneId: string;
  was: Alignment;
  now: Alignment;
}

/**
 * Writes what Align does to a date, as the change alone: what somebody else changed stays. Everything
 * that is made from the date is asked for again.
 */
export function useSetAlign(studyId: string) {
  const queryClient = useQueryClient();
  const mutationKey = ["change", ...keys.align(studyId)];
  return useMutation({
    mutationKey,
    // One after the other: the second change is made on what the first one left.
    scope: { id: mutationKey.join(" ") },
    mutationFn: ({ sceneId, was, now }: AlignChange) =>
      call(alignRoutes.change, {
        params: { id: studyId, sceneId },
        body: { changes: changesBetween(was, now) },
      }),
    onMutate: ({ sceneId, now }) => {
      // An answer that is on its way already does not know of this.
      void queryClient.cancelQueries({ queryKey: keys.align(studyId) }, { revert: false });
      queryClient.setQueryData<AlignRow[]>(keys.align(studyId), (rows) =>
        rows?.map((row) => (row.sceneId === sceneId ? { ...row, align: now } : row)),
      );
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
    onSettled: () => {
      // Answers that do not know of what is still on its way would take it off the screen.
      if (queryClient.isMutating({ mutationKey }) > 1) {
        return;
      }
      for (const key of [
        keys.align(studyId),
        keys.sides(studyId),
        keys.ledger(studyId),
        keys.study(studyId),
      ]) {
        void queryClient.invalidateQueries({ queryKey: key });
      }
    },
  });
}
