import { compareRoutes } from "@hindglance/contract/compare";
import { call } from "../api/call";
import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import { useUi } from "../state/ui";
import type { Whole } from "./useVersions";

/** Writes the change map on screen, and goes to its tally once it is there. */
export function useWriteMap(studyId: string, whole: Whole | null) {
  const go = useNavigate();
  const queryClient = useQueryClient();
  const runs = useRuns().data;
  const begun = useRef<string | null>(null);
  const write = useMutation({
    mutationFn: () =>
      call(compareRoutes.write, {
        params: { id: studyId },
        body: {
          beforeId: whole!.beforeId,
          afterId: whole!.afterId,
          setup: whole!.setup!,
        },
      }),
    onSuccess: ({ runId }) => {
      begun.current = runId;
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  useEffect(() => {
    const done = runs?.find((run) => run.id === begun.current);
    if (!done || done.state === "running") {
      return;
    }
    begun.current = null;
    const { say } = useUi.getState();
    if (done.state === "done") {
      say("The change map is written.");
      void queryClient
        .invalidateQueries({ queryKey: keys.maps(studyId) })
        .then(() => go(`/studies/${studyId}/tally?map=${done.result?.changeMapId ?? ""}`));
    } else if (done.error) {
      say(`${done.error.message}. ${done.error.hint ?? ""}`, "wrong");
    }
  }, [runs, go, queryClient, studyId]);
  const writing = runs?.find(
    (run) => run.kind === "writeChangeMap" && run.studyId === studyId && run.state === "running",
  );
  return { write: () => write.mutate(), isPending: write.isPending, writing: writing ?? null };
}
