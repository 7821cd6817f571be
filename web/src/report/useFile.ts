import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import type { FileFormat } from "@hindglance/contract/files";
import { call } from "../api/call";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import type { ChangeMap, MadeFile } from "../api/types";
import { useUi } from "../state/ui";

/** Lets the browser fetch a file that was made. */
export function download(found: { id: string }): void {
  const element = document.createElement("a");
  element.href = `/api/files/${found.id}`;
  element.download = "";
  document.body.append(element);
  element.click();
  element.remove();
}

/**
 * One file of a change map: made by a run when it is first asked for, then there to be taken again.
 */
export function useFile(
  map: ChangeMap,
  format: FileFormat,
): { file: MadeFile | null; busy: boolean; progress: number; get(): void } {
  const queryClient = useQueryClient();
  const [runId, setRun] = useState<string | null>(null);
  const run = useRuns().data?.find((r) => r.id === runId);
  // A list of runs that was asked for earlier can come later: a run that ended seems to go on then.
  const ended = useRef<string | null>(null);
  const file = map.files.find((madeFile) => madeFile.format === format) ?? null;
  const make = useMutation({
    mutationFn: () => call(changeMapRoutes.makeFile, { params: { id: map.id }, body: { format } }),
    onSuccess: (r) => {
      setRun(r.runId);
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const onEnd = useEffectEvent(() => {
    if (ended.current === runId) {
      return;
    }
    ended.current = runId;
    if (run?.state === "done") {
      download({ id: run.result!.blobId! });
      void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
    } else if (run?.error) {
      useUi.getState().say(`${run.error.message}. ${run.error.hint ?? ""}`, "wrong");
    }
  });
  const isOver = run !== undefined && run.state !== "running";
  useEffect(() => {
    if (isOver) {
      onEnd();
    }
  }, [isOver, runId]);
  return {
    file,
    busy: make.isPending || (runId !== null && !isOver),
    progress: run?.progress ?? 0,
    get: () => {
      if (file) {
        download(file);
      } else {
        make.mutate();
      }
    },
  };
}
