import { useCallback, useMemo } from "react";
import { type Change, changesBetween } from "@hindglance/contract/changes";
import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import type { Family } from "@hindglance/core/chain/family";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import { useUi } from "../state/ui";
import { type PrepareState, deskOf, labelled, stateOf } from "./chainState";

const say = (error: unknown): void => useUi.getState().say(sayError(error), "wrong");

/** Whether dates of a study are being prepared. */
const usePreparing = (studyId: string): boolean =>
  useRuns().data?.some(
    (run) => run.kind === "prepareDates" && run.studyId === studyId && run.state === "running",
  ) ?? false;

/** Sends what was changed; changes of one chain follow each other. */
function useSend(studyId: string, family: Family) {
  const queryClient = useQueryClient();
  const key = [...keys.prepare(studyId), family];
  return useMutation({
    scope: { id: `prepare ${studyId} ${family}` },
    mutationFn: ({ changes }: { changes: Change[]; state: PrepareState }) =>
      call(prepareRoutes.change, { params: { id: studyId }, query: { family }, body: { changes } }),
    onMutate: ({ state }) => {
      // An answer that is on its way already does not know of this.
      void queryClient.cancelQueries({ queryKey: key }, { revert: false });
      queryClient.setQueryData<PrepareAnswer>(key, (view) =>
        view ? { ...view, ...stateOf(state) } : view,
      );
    },
    onSuccess: (view) => {
      queryClient.setQueryData(key, view);
      void queryClient.invalidateQueries({ queryKey: keys.sides(studyId) });
    },
    onError: (error) => {
      say(error);
      void queryClient.invalidateQueries({ queryKey: keys.prepare(studyId) });
    },
  });
}

/** Begins runs, and takes old results away. */
function useWork(studyId: string, family: Family) {
  const queryClient = useQueryClient();
  const where = { params: { id: studyId }, query: { family } };
  const run = useMutation({
    mutationFn: (sceneIds: string[] | null) =>
      call(prepareRoutes.run, { ...where, body: { sceneIds } }),
    onSuccess: ({ runId }) => {
      if (!runId) {
        useUi.getState().say("Nothing is left to run: every result is there.");
      }
      void queryClient.invalidateQueries({ queryKey: keys.runs });
      void queryClient.invalidateQueries({ queryKey: keys.prepare(studyId) });
    },
    onError: say,
  });
  const clear = useMutation({
    mutationFn: () => call(prepareRoutes.deleteOld, where),
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.prepare(studyId) }),
    onError: say,
  });
  return { run, clear };
}

/** The board of a study, and how it is changed and run. */
export function usePrepare(studyId: string, family: Family) {
  const running = usePreparing(studyId);
  const view = useQuery({
    queryKey: [...keys.prepare(studyId), family],
    queryFn: () => call(prepareRoutes.board, { params: { id: studyId }, query: { family } }),
    refetchInterval: running ? 1000 : false,
  });
  const { mutate, isPending } = useSend(studyId, family);
  const { data } = view;
  // What was changed is told from what is on screen, which the server has once it has taken all that
  // was sent before.
  const send = useCallback(
    (state: PrepareState) => {
      if (data) {
        mutate({ changes: changesBetween(stateOf(data), stateOf(state)), state });
      }
    },
    [data, mutate],
  );
  const set = useCallback(
    (state: PrepareState) => {
      if (data) {
        deskOf(studyId, family).remember(stateOf(data));
        send(state);
      }
    },
    [data, send, studyId, family],
  );
  const undo = useCallback(() => {
    const state = deskOf(studyId, family).back();
    if (state) {
      send(state);
    }
  }, [send, studyId, family]);
  const labels = useMemo(() => (data ? { ...data, rows: labelled(data.rows) } : null), [data]);
  return {
    view: labels,
    error: view.error,
    set,
    undo,
    saving: isPending,
    running,
    ...useWork(studyId, family),
  };
}
export type Prepare = ReturnType<typeof usePrepare>;

/** What the board does with a chain. */
export interface BoardWork {
  /** Sets the chain to other settings, which can be taken back. */
  set(state: PrepareState): void;
  /** Runs what is left of some scenes; null: of all. */
  run: { mutate(sceneIds: string[] | null): void; isPending: boolean };
  /** Takes results away that the chain does not use. */
  clear: { mutate(): void };
  /** Whether dates are being prepared. */
  running: boolean;
}
