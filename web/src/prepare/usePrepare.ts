import { useCallback, useMemo } from "react";
import { type Change, changesBetween, withChanges } from "@hindglance/contract/changes";
import { type PrepareAnswer, prepareRoutes } from "@hindglance/contract/prepare";
import type { Family } from "@hindglance/core/chain/family";
import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
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

const boardKey = (studyId: string, family: Family) => [...keys.prepare(studyId), family];
const changeKey = (studyId: string, family: Family) => ["change", ...boardKey(studyId, family)];

/**
 * An answer of the server with the settings that are on screen, where more than `known` changes are
 * on their way: the answer does not know of them yet.
 */
function withSent(
  queryClient: QueryClient,
  studyId: string,
  family: Family,
  answer: { view: PrepareAnswer; known: number },
): PrepareAnswer {
  const { view, known } = answer;
  const sent = queryClient.isMutating({ mutationKey: changeKey(studyId, family) });
  const shown = queryClient.getQueryData<PrepareAnswer>(boardKey(studyId, family));
  return sent > known && shown ? { ...view, ...stateOf(shown) } : view;
}

/** What was changed from one state to another, made to a third; the other itself where it does not fit. */
function rebased(from: PrepareState, to: PrepareState, onto: PrepareState): PrepareState {
  const changes = changesBetween(from, to).filter(({ op }) => op !== "test");
  try {
    return withChanges(onto, changes);
  } catch {
    return to;
  }
}

/** Sends what was changed; changes of one chain follow each other. */
function useSend(studyId: string, family: Family) {
  const queryClient = useQueryClient();
  const key = boardKey(studyId, family);
  return useMutation({
    mutationKey: changeKey(studyId, family),
    scope: { id: `prepare ${studyId} ${family}` },
    mutationFn: (changes: Change[]) =>
      call(prepareRoutes.change, { params: { id: studyId }, query: { family }, body: { changes } }),
    onSuccess: (view) => {
      // The change that is answered counts among those on their way until this returns.
      queryClient.setQueryData(key, withSent(queryClient, studyId, family, { view, known: 1 }));
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
  const queryClient = useQueryClient();
  const view = useQuery({
    queryKey: boardKey(studyId, family),
    queryFn: async () => {
      const where = { params: { id: studyId }, query: { family } };
      const answer = { view: await call(prepareRoutes.board, where), known: 0 };
      return withSent(queryClient, studyId, family, answer);
    },
    refetchInterval: running ? 1000 : false,
  });
  const { mutate, isPending } = useSend(studyId, family);
  const { data } = view;
  const send = useCallback(
    (state: PrepareState) => {
      const key = boardKey(studyId, family);
      const shown = queryClient.getQueryData<PrepareAnswer>(key);
      if (!data || !shown) {
        return;
      }
      // The page that a change was made on may not show the one before yet.
      const next = rebased(stateOf(data), stateOf(state), stateOf(shown));
      // An answer that is on its way already does not know of this.
      void queryClient.cancelQueries({ queryKey: key }, { revert: false });
      queryClient.setQueryData<PrepareAnswer>(key, { ...shown, ...next });
      // Told from what is on screen, which the server has once it has taken all that was sent before.
      mutate(changesBetween(stateOf(shown), next));
    },
    [data, mutate, queryClient, studyId, family],
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
