import { useEffect, useEffectEvent, useMemo, useRef, useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { sayError } from "../api/client";
import { keys, useRuns } from "../api/hooks";
import type { ChangeMap } from "../api/types";
import { rampLayer } from "../map/layers";
import { rampById } from "../map/ramps";
import { tilesOf } from "../map/tiles";
import { useUi } from "../state/ui";
import type { WaterClasses } from "./depth";

/** Measures the depth of a flood, in a run. */
export function useMeasureDepth(map: ChangeMap) {
  const queryClient = useQueryClient();
  const [runId, setRun] = useState<string | null>(null);
  const run = useRuns().data?.find(({ id }) => id === runId);
  const begin = useMutation({
    mutationFn: (body: WaterClasses) =>
      call(changeMapRoutes.measureDepth, { params: { id: map.id }, body }),
    onSuccess: (begun) => {
      setRun(begun.runId);
      void queryClient.invalidateQueries({ queryKey: keys.runs });
    },
    onError: (error) => useUi.getState().say(sayError(error), "wrong"),
  });
  const ended = useRef<string | null>(null);
  const onEnd = useEffectEvent(() => {
    if (ended.current === runId || !run) {
      return;
    }
    ended.current = runId;
    if (run.error) {
      useUi.getState().say(`${run.error.message}. ${run.error.hint ?? ""}`, "wrong");
    }
    void queryClient.invalidateQueries({ queryKey: keys.maps(map.studyId) });
  });
  const state = run?.state ?? "running";
  useEffect(() => {
    if (state !== "running") {
      onEnd();
    }
  }, [state]);
  return {
    measure: begin.mutate,
    isBusy: begin.isPending || (runId !== null && state === "running"),
  };
}

/** Depth of every cell as a layer, where it is measured and wanted: the deeper, the darker. */
export function useDepthLayer({ id, depth }: ChangeMap, isWanted: boolean): WebGLTileLayer | null {
  const node = useQuery({
    queryKey: ["depthNode", id, depth?.imageId],
    queryFn: () => call(changeMapRoutes.depthNode, { params: { id } }),
    enabled: depth !== null && isWanted,
    staleTime: Infinity,
  }).data;
  const deepest = depth?.sums.deepestM ?? 1;
  return useMemo(
    () =>
      node && isWanted
        ? rampLayer(tilesOf(node), { lo: 0, hi: Math.max(0.1, deepest) }, rampById("moisture"))
        : null,
    [node, isWanted, deepest],
  );
}
