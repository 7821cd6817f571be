import { useEffect, useMemo, useState } from "react";
import type View from "ol/View";
import type { Grid } from "@hindglance/core/grid/grid";
import type { Study } from "../../api/types";
import { useSame } from "../../lib/useSame";
import { viewOf } from "../../map/mapView";
import { putInAddress } from "../../state/ui";

/** Where the address says the map was, as easting, northing and metres a pixel. */
function placeInAddress(): { center: [number, number]; resolution: number } | null {
  const part = (new URLSearchParams(location.search).get("at") ?? "").split(",").map(Number);
  const [x, y, resolution] = part;
  return part.length === 3 && part.every(Number.isFinite) && resolution! > 0
    ? { center: [x!, y!], resolution: resolution! }
    : null;
}

/** Milliseconds that the map rests before its place is written into the address. */
const REST = 400;

/**
 * View of both maps: where the address says, or on the study area as it was when the page opened.
 * The address follows it.
 */
export function useMapView(grid: Grid, area: Study["studyArea"]): View {
  const same = useSame(grid);
  const [first] = useState(area);
  const view = useMemo(() => viewOf(same, placeInAddress(), first), [same, first]);
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout>;
    const moved = () => {
      clearTimeout(timer);
      timer = setTimeout(() => {
        const center = view.getCenter();
        const resolution = view.getResolution();
        if (center && resolution) {
          const [x, y] = center.map(Math.round);
          putInAddress("at", `${x},${y},${resolution.toPrecision(4)}`);
        }
      }, REST);
    };
    view.on("change", moved);
    return () => {
      clearTimeout(timer);
      view.un("change", moved);
    };
  }, [view]);
  return view;
}
