import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { classifyRoutes } from "@hindglance/contract/classify";
import { call } from "../api/call";
import type { Classify } from "./useClassify";

/** Groups of like cells of a date, or of all dates, where classes come from groups. */
export function useGroups(studyId: string, sceneId: string | null, classify: Classify) {
  const { view, settings, saving } = classify;
  const isOn = !!settings.unsupervised && !settings.model;
  const date = view?.dates.find((one) => one.sceneId === sceneId);
  const query = useQuery({
    queryKey: ["dateGroups", studyId, sceneId, view?.version, date?.picture?.hash],
    queryFn: () =>
      call(classifyRoutes.groups, { params: { id: studyId }, body: { sceneId: sceneId! } }),
    enabled: isOn && !!date && !date.problem && !saving,
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
  });
  return {
    data: isOn && !query.error ? (query.data ?? null) : null,
    error: isOn ? query.error : null,
  };
}

/** Groups of a date, as far as they are known. */
export type GroupsOnScreen = ReturnType<typeof useGroups>;
