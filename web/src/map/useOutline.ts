import { useMemo } from "react";
import type VectorLayer from "ol/layer/Vector";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Study } from "../api/types";
import { useSame } from "../lib/useSame";
import { outlineLayer } from "./areaLayer";

/** Outline of the study area as layers of one map: one, or none where there is no area
 * or the map's coordinate system is not known yet. */
export function useOutline(area: Study["studyArea"], crs: Crs | null): VectorLayer[] {
  const same = useSame(crs);
  return useMemo(() => (area && same ? [outlineLayer([area], same)] : []), [area, same]);
}
