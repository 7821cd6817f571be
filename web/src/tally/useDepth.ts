import { useMemo } from "react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import { keys } from "../api/hooks";
import { useBegun } from "../api/useBegun";
import type { ChangeMap } from "../api/types";
import { rampLayer } from "../map/layers";
import { rampById } from "../map/ramps";
import { tilesOf } from "../map/tiles";
import type { WaterClasses } from "./depth";

/** Measures the depth of a flood, in a run. */
export function useMeasureDepth({ id, studyId }: ChangeMap) {
  const queryClient = useQueryClient();
  const order = (body: WaterClasses) =>
    call(changeMapRoutes.measureDepth, { params: { id }, body });
  const { begin: measure, isBusy } = useBegun(order, () =>
    queryClient.invalidateQueries({ queryKey: keys.maps(studyId) }),
  );
  return { measure, isBusy };
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
