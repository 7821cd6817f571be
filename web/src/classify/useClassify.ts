import { useState } from "react";
import { useIsMutating, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { changesBetween } from "@hindglance/contract/changes";
import { type ClassifyView, classifyRoutes } from "@hindglance/contract/classify";
import { type ClassifySettings, EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import { call } from "../api/call";
import { ApiError, sayError } from "../api/client";
import { keys } from "../api/hooks";
import { useUi } from "../state/ui";
import type { Step } from "@hindglance/core/classify/legend";
import { overlapIn } from "./changes";

/** Former settings that are kept. */
const KEPT = 100;

interface Told {
  was: ClassifySettings | null;
  now: ClassifySettings;
}

/** Sends what was changed, one change after the other; what it will be is on screen at once. */
function useSave(studyId: string) {
  const queryClient = useQueryClient();
  const queryKey = keys.classify(studyId);
  const mutationKey = keys.classify(studyId);
  return useMutation({
    mutationKey,
    scope: { id: `classify ${studyId}` },
    mutationFn: ({ was, now }: Told) =>
      call(classifyRoutes.change, {
        params: { id: studyId },
        body: { changes: changesBetween(was, now) },
      }),
    onSuccess: (view) => {
      // Later changes are on screen already; their own answers come.
      if (queryClient.isMutating({ mutationKey }) === 1) {
        queryClient.setQueryData(queryKey, view);
      }
    },
    onError: (error) => {
      const isTheirs = error instanceof ApiError && error.code === "changedElsewhere";
      useUi
        .getState()
        .say(
          isTheirs
            ? "The same was changed on another page: theirs is shown."
            : `This could not be kept. ${sayError(error)}`,
          "wrong",
        );
      return queryClient.invalidateQueries({ queryKey });
    },
  });
}

/**
 * What a study's dates are classified by: every change is kept by the server at once, and can be
 * taken back and made again while the page is open.
 */
export function useClassify(studyId: string) {
  const queryClient = useQueryClient();
  const queryKey = keys.classify(studyId);
  const query = useQuery({
    queryKey,
    queryFn: () => call(classifyRoutes.find, { params: { id: studyId } }),
  });
  const save = useSave(studyId);
  const saving = useIsMutating({ mutationKey: keys.classify(studyId) }) > 0;
  const [past, setPast] = useState<ClassifySettings[]>([]);
  const [future, setFuture] = useState<ClassifySettings[]>([]);
  const settings = query.data?.settings ?? EMPTY_CLASSIFY;
  const send = (now: ClassifySettings) => {
    const view = queryClient.getQueryData<ClassifyView>(queryKey);
    if (view) {
      void queryClient.cancelQueries({ queryKey });
      queryClient.setQueryData<ClassifyView>(queryKey, { ...view, settings: now });
      save.mutate({ was: view.settings, now });
    }
  };
  const nowHeld = (): ClassifySettings =>
    queryClient.getQueryData<ClassifyView>(queryKey)?.settings ?? EMPTY_CLASSIFY;
  const go = (from: ClassifySettings[], setFrom: typeof setPast, setTo: typeof setPast) => {
    const last = from.at(-1);
    return last
      ? () => {
          setTo((all) => [...all, nowHeld()]);
          setFrom(from.slice(0, -1));
          send(last);
        }
      : null;
  };
  return {
    view: query.data ?? null,
    error: query.error,
    settings,
    /** Whether something is on its way to the server. */
    saving,
    /** Changes the settings; false, and said why, where what is trained on would be tested on. */
    change: (step: Step): boolean => {
      const was = nowHeld();
      const now = step(was);
      const overlap = overlapIn(was, now);
      if (overlap) {
        useUi.getState().say(overlap, "wrong");
        return false;
      }
      setPast((all) => [...all, was].slice(-KEPT));
      setFuture([]);
      send(now);
      return true;
    },
    undo: go(past, setPast, setFuture),
    redo: go(future, setFuture, setPast),
  };
}

/** Settings of a classification, and how they are changed. */
export type Classify = ReturnType<typeof useClassify>;
