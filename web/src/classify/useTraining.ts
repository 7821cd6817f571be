import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { classifyRoutes } from "@hindglance/contract/classify";
import { call } from "../api/call";
import { canTrain, wayOf } from "./changes";
import type { Classify } from "./useClassify";

/**
 * What training on a date comes to, by the settings that the server holds; the last one stays while
 * the next is on its way.
 */
export function useTraining(studyId: string, sceneId: string | null, classify: Classify) {
  const { view, settings, saving } = classify;
  const date = view?.dates.find((one) => one.sceneId === sceneId);
  const isReady =
    wayOf(settings) !== "groups" && !!date && !date.problem && canTrain(settings, date.sceneId);
  const query = useQuery({
    queryKey: ["training", studyId, sceneId, view?.version, date?.picture?.hash],
    queryFn: ({ signal }) =>
      call(classifyRoutes.train, { params: { id: studyId }, body: { sceneId: sceneId! } }, signal),
    enabled: isReady && !saving,
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
  });
  if (!isReady) {
    return { data: null, error: null, isPending: false };
  }
  return {
    data: query.error ? null : (query.data ?? null),
    error: query.error,
    /** Whether what is shown is of earlier settings, or nothing yet. */
    isPending: query.isFetching || saving,
  };
}

/** What training on a date comes to, as far as it is known. */
export type TrainingOnScreen = ReturnType<typeof useTraining>;
