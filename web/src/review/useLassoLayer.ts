import { useMemo } from "react";
import type BaseLayer from "ol/layer/Base";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { outlineLayer } from "../map/areaLayer";

/** The ring within which patches are asked for, as a layer; none where there is no ring. */
export function useLassoLayer(within: readonly number[] | null, crs: Crs): BaseLayer[] {
  return useMemo(() => {
    if (!within) {
      return [];
    }
    const corners = Array.from({ length: within.length / 2 }, (_v, k) => [
      within[2 * k]!,
      within[2 * k + 1]!,
    ]);
    const geometry = { type: "Polygon" as const, coordinates: [[...corners, corners[0]!]] };
    return [outlineLayer(geometry, { crs, onto: null })];
  }, [within, crs]);
}
