import { useEffect, useEffectEvent, useRef, useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useUi } from "../state/ui";
import { sayError } from "./client";
import { keys, useRuns } from "./hooks";

/**
 * Begins a run on the server and tells when it has ended; what went wrong is said.
 * @param begin asks for the run @param onEnd is given what came of it; null where it failed or was cancelled
 */
export function useBegun<T>(
  begin: (order: T) => Promise<{ runId: string }>,
  onEnd: (result: Record<string, string> | null) => void | Promise<void>,
) {
  const queryClient = useQueryClient();
  const [runId, setRun] = useState<string | null>(null);
  const run = useRuns().data?.find(({ id }) => id === runId);
  const asked = useMutation({
    mutationFn: begin,
    onSuccess: (begun) => {
      setRun(begun.runId);
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  // A list of runs that was asked for earlier can come later: a run that ended seems to go on then.
  const ended = useRef<string | null>(null);
  const onState = useEffectEvent(() => {
    if (ended.current === runId || !run) {
      return;
    }
    ended.current = runId;
    if (run.error) {
      useUi.getState().say(`${run.error.message}. ${run.error.hint ?? ""}`, "wrong");
    }
    void onEnd(run.result ?? null);
  });
  const state = run?.state ?? "running";
  useEffect(() => {
    if (state !== "running") {
      onState();
    }
  }, [state]);
  const isBusy = asked.isPending || (runId !== null && state === "running");
  return { begin: asked.mutate, isBusy, progress: run?.progress ?? 0 };
}
