import { useEffect } from "react";
import DoubleClickZoom from "ol/interaction/DoubleClickZoom";
import type OlMap from "ol/Map";

/** Keeps a map from zooming where two clicks follow each other soon: each of them means something. */
export function useNoDoubleClick(map: OlMap | null, isOn: boolean): void {
  useEffect(() => {
    const zooms = (map?.getInteractions().getArray() ?? []).filter(
      (one) => one instanceof DoubleClickZoom,
    );
    if (!isOn) {
      return;
    }
    zooms.forEach((one) => one.setActive(false));
    return () => zooms.forEach((one) => one.setActive(true));
  }, [map, isOn]);
}
