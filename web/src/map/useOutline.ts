import { useMemo } from "react";
import { useQueries } from "@tanstack/react-query";
import type VectorLayer from "ol/layer/Vector";
import { sceneRoutes } from "@hindglance/contract/scenes";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { call } from "../api/call";
import { keys, useOverlays, useScenes } from "../api/hooks";
import type { Scene, Study } from "../api/types";
import { useSame } from "../lib/useSame";
import { outlineLayer } from "./areaLayer";
import type { Ground } from "./ground";
import { type OverlayLook, overlayLayer } from "./overlayLayer";
import { type Placing, isInLines, ontoLines } from "./sensorLines";

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

/** Mean of the elevation of a study, metres; 0 without one. */
export function groundHeight(scenes: readonly Scene[]): number {
  const elevation = scenes.find(({ kind, statistics }) => kind === "elevation" && statistics);
  const [band] = elevation?.statistics ?? [];
  return band && band.valid > 0 ? band.sum / band.valid : 0;
}

/** Height that lines are drawn at over pictures in a sensor's lines, metres. */
const useGroundHeight = (studyId: string): number => groundHeight(useScenes(studyId).data ?? []);

/** The same, where something is drawn there; null where nothing is. */
export function useOutlineHeight(study: Study): number | null {
  const height = useGroundHeight(study.id);
  const overlays = useOverlays(study.id).data ?? [];
  return study.studyArea || overlays.some(({ shown }) => shown) ? height : null;
}

/** How the study's ground comes onto the map of an image; null where that is not known. */
function useGround(study: Study, image: Placing | null): Ground | null {
  const same = useSame(image && { grid: { crs: image.grid.crs }, sensor: image.sensor });
  const height = useGroundHeight(study.id);
  return useMemo(() => {
    if (!same) {
      return null;
    }
    const { crs } = same.grid;
    if (isInLines(same)) {
      return { crs, onto: ontoLines(same, height) };
    }
    return isSensorFrame(crs) ? null : { crs, onto: null };
  }, [same, height]);
}

function useLaid(study: Study, ground: Ground | null): VectorLayer[] {
  const shown = useShown(study.id);
  return useMemo(
    () => (ground ? shown.map(({ data, look }) => overlayLayer(data, look, ground)) : []),
    [ground, shown],
  );
}

/** Overlays of a study as layers of the map of an image; none while that is not known. */
export function useOverlayLayers(study: Study, image: Placing | null): VectorLayer[] {
  return useLaid(study, useGround(study, image));
}

/**
 * What lies over every map of a study as layers of one map: its overlays, and the outline of the
 * study area on top; nothing while the map's coordinate system is not known, or over a picture
 * without position.
 */
export function useOutline(study: Study, image: Placing | null): VectorLayer[] {
  const ground = useGround(study, image);
  const overlays = useLaid(study, ground);
  const area = study.studyArea;
  return useMemo(
    () => [...overlays, ...(area && ground ? [outlineLayer(area, ground)] : [])],
    [area, ground, overlays],
  );
}
