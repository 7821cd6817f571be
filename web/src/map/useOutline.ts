import { useMemo } from "react";
import { useQueries } from "@tanstack/react-query";
import type VectorLayer from "ol/layer/Vector";
import { sceneRoutes } from "@hindglance/contract/scenes";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { call } from "../api/call";
import { keys, useOverlays } from "../api/hooks";
import type { Study } from "../api/types";
import { useSame } from "../lib/useSame";
import { outlineLayer } from "./areaLayer";
import { type OverlayLook, overlayLayer } from "./overlayLayer";

/** Overlays that are shown, as far as their features are there. */
function useShown(studyId: string) {
  const overlays = (useOverlays(studyId).data ?? []).filter(({ shown }) => shown);
  return useQueries({
    queries: overlays.map(({ id }) => ({
      queryKey: keys.overlay(id),
      queryFn: () => call(sceneRoutes.overlayFeatures, { params: { id } }),
      staleTime: Infinity,
    })),
    combine: (all) =>
      all.flatMap(({ data }, k) => {
        const { color, labelField } = overlays[k]!;
        const look: OverlayLook = { color, labelField };
        return data ? [{ data, look }] : [];
      }),
  });
}

/** Overlays of a study as layers of one map; none while its coordinate system is not known, or is a sensor's. */
export function useOverlayLayers(studyId: string, crs: Crs | null): VectorLayer[] {
  const shown = useShown(studyId);
  return useMemo(
    () =>
      crs && !isSensorFrame(crs)
        ? shown.map(({ data, look }) => overlayLayer(data, look, crs))
        : [],
    [crs, shown],
  );
}

/**
 * What lies over every map of a study as layers of one map: its overlays, and the outline of the
 * study area on top; nothing while the map's coordinate system is not known, or is a sensor's.
 */
export function useOutline(study: Study, crs: Crs | null): VectorLayer[] {
  const same = useSame(crs);
  const overlays = useOverlayLayers(study.id, same);
  const area = study.studyArea;
  return useMemo(() => {
    const isPlaced = same && !isSensorFrame(same);
    return [...overlays, ...(area && isPlaced ? [outlineLayer([area], same)] : [])];
  }, [area, same, overlays]);
}
