import { useMemo } from "react";
import { useQuery } from "@tanstack/react-query";
import type WebGLTileLayer from "ol/layer/WebGLTile";
import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { call } from "../api/call";
import type { ChangeMap } from "../api/types";
import { doubtLayer } from "../map/layers";
import { tilesOf } from "../map/tiles";

/** Doubt of every cell as a layer, where it is counted and wanted. */
export function useDoubtLayer({ id, doubt }: ChangeMap, isWanted: boolean): WebGLTileLayer | null {
  const node = useQuery({
    queryKey: ["doubtNode", id, doubt?.imageId],
    queryFn: () => call(changeMapRoutes.doubtNode, { params: { id } }),
    enabled: doubt !== null && isWanted,
    staleTime: Infinity,
  }).data;
  return useMemo(() => (node && isWanted ? doubtLayer(tilesOf(node)) : null), [node, isWanted]);
}
