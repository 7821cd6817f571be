import { useCallback, useMemo } from "react";
import { type Change, changesBetween } from "@hindglance/contract/changes";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import { useUi } from "../state/ui";
import type { Family } from "@hindglance/core/chain/family";
import { type PrepareState, type PrepareView, labelled, stateOf, useDesk } from "./chainState";

/** The board of a study, and how it is changed and run. */
export function usePrepare(studyId: string, family: Family) {
  const key = [...keys.prepare(studyId), family];
  const of = `?family=${family}`;
  const queryClient = useQueryClient();
  const running =
    useRuns().data?.some(
      (r) => r.kind === "prepareDates" && r.studyId === studyId && r.state === "running",
    ) ?? false;
  const view = useQuery({
    queryKey: key,
    queryFn: () => api<PrepareView>("GET", `/studies/${studyId}/prepare${of}`),
    refetchInterval: running ? 1000 : false,
  });
  const put = useMutation({
    scope: { id: `prepare ${studyId} ${family}` },
    mutationFn: ({ changes }: { changes: Change[]; state: PrepareState }) =>
      api<PrepareView>("PATCH", `/studies/${studyId}/prepare${of}`, { changes }),
    onMutate: ({ state }) => {
      queryClient.setQueryData<PrepareView>(key, (value) =>
        value ? { ...value, ...stateOf(state) } : value,
      );
    },
    onSuccess: (value) => {
      queryClient.setQueryData(key, value);
      void queryClient.invalidateQueries({ queryKey: keys.sides(studyId) });
    },
    onError: (error) => {
      useUi.getState().say(sayError(error), "wrong");
      void queryClient.invalidateQueries({ queryKey: keys.prepare(studyId) });
    },
  });
  const { mutate } = put;
  const data = view.data;
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
      if (!data) {
        return;
      }
      useDesk.getState().remember(stateOf(data));
      send(state);
    },
    [data, send],
  );
  const undo = useCallback(() => {
    const state = useDesk.getState().back();
    if (state) {
      send(state);
    }
  }, [send]);
  const run = useMutation({
    mutationFn: (sceneIds: string[] | null) =>
      api<{ runId: string | null; items: number }>(
        "POST",
        `/studies/${studyId}/prepare/runs${of}`,
        { sceneIds },
      ),
    onSuccess: (r) => {
      if (!r.runId) {
        useUi.getState().say("Nothing is left to run: every result is there.");
      }
      for (const k of [keys.runs, keys.prepare(studyId)]) {
        void queryClient.invalidateQueries({ queryKey: k });
      }
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const clear = useMutation({
    mutationFn: () => api<{ deleted: number }>("DELETE", `/studies/${studyId}/prepare/old${of}`),
    onSuccess: () => void queryClient.invalidateQueries({ queryKey: keys.prepare(studyId) }),
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const labels = useMemo(() => (data ? { ...data, rows: labelled(data.rows) } : null), [data]);
  return { view: labels, error: view.error, set, undo, run, clear, saving: put.isPending, running };
}
