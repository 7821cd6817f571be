import { useQuery, useQueryClient, useMutation } from "@tanstack/react-query";
import type { Alignment } from "@hindglance/core/align/alignment";
import { api, sayError } from "../api/client";
import { keys } from "../api/hooks";
import type { NodeView } from "../api/types";
import { useUi } from "../state/ui";

/** A date of the study, as it lies by itself (`raw`) and as Align leaves it. */
export interface AlignRow {
  sceneId: string;
  name: string;
  acquiredAt: string | null;
  kind: string;
  align: Alignment | null;
  picture: boolean;
  raw: NodeView | null;
  aligned: NodeView | null;
  problem: string | null;
}
export interface CheckNodes {
  reference: NodeView;
  date: NodeView;
  both: NodeView;
  edges: { reference: NodeView; date: NodeView };
}

/** What Align does to each date of a study. */
export const useAlign = (studyId: string) =>
  useQuery({
    queryKey: keys.align(studyId),
    queryFn: () => api<AlignRow[]>("GET", `/studies/${studyId}/align`),
  });

/** Pictures of two dates to look whether they lie on each other. */
export const useCheck = (
  studyId: string,
  ask: { referenceId: string; sceneId: string; band: string; aligned: boolean } | null,
  version: string,
) =>
  useQuery({
    queryKey: ["alignCheck", studyId, ask, version],
    queryFn: () => api<CheckNodes>("POST", `/studies/${studyId}/align/check`, ask),
    enabled: !!ask,
    staleTime: Infinity,
    retry: false,
    placeholderData: (old) => old,
  });

/** Writes what Align does to a date; everything that is made from the date is asked for again. */
export function useSetAlign(studyId: string) {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: ({
      sceneId,
      ...b
    }: {
      sceneId: string;
      place: Alignment["place"];
      level?: Alignment["level"];
    }) => api<Alignment>("PUT", `/studies/${studyId}/align/${sceneId}`, b),
    onMutate: ({ sceneId, place, level }) => {
      queryClient.setQueryData<AlignRow[]>(keys.align(studyId), (rows) =>
        rows?.map((row) =>
          row.sceneId === sceneId
            ? {
                ...row,
                align: { place, level: level === undefined ? (row.align?.level ?? null) : level },
              }
            : row,
        ),
      );
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
    onSettled: () => {
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
