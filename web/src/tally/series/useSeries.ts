import { useEffect, useMemo, useState } from "react";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { seriesRoutes } from "@hindglance/contract/compare";
import { call } from "../../api/call";
import { useRuns } from "../../api/hooks";
import type { Side, Study } from "../../api/types";
import type { SeriesAsk, SeriesDate } from "./series";

const NONE: SeriesDate[] = [];

/** The date that was picked; else the after date of the comparison, else the last. */
function pickedOf(dates: SeriesDate[], wanted: (string | null | undefined)[]): SeriesDate | null {
  const found = wanted.map((id) => dates.find((date) => date.sceneId === id)).find(Boolean);
  return found ?? dates[dates.length - 1] ?? null;
}

/** Every date as it was counted, the run that counts while it does, and the date that is picked. */
export function useSeries(study: Study, sides: Side[], ask: SeriesAsk) {
  const version = JSON.stringify(sides.map((side) => side.hash));
  const queryClient = useQueryClient();
  const asked = useQuery({
    queryKey: ["series", study.id, JSON.stringify(ask), version, study.studyArea],
    queryFn: () => call(seriesRoutes.count, { params: { id: study.id }, body: ask }),
    staleTime: Infinity,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const series = asked.data ?? null;
  const run = useRuns().data?.find((each) => each.id === series?.runId) ?? null;
  const fresh = !asked.isPlaceholderData;
  useEffect(() => {
    if (run?.state === "done" && fresh) {
      void queryClient.invalidateQueries({ queryKey: ["series", study.id] });
    }
  }, [run?.state, fresh, queryClient, study.id]);
  const [pickedId, pick] = useState<string | null>(null);
  const dates = series?.dates ?? NONE;
  return {
    /** Changes whenever a date is made in another way. */
    version,
    series,
    error: asked.error,
    run,
    dates,
    /** Whether every date has its numbers. */
    counted: dates.length > 0 && dates.every((date) => date.zones !== null),
    picked: useMemo(
      () => pickedOf(dates, [pickedId, study.compare?.afterId]),
      [dates, pickedId, study.compare?.afterId],
    ),
    pick,
  };
}

/** Every date of a series on screen. */
export type SeriesOnScreen = ReturnType<typeof useSeries>;
