import type OlMap from "ol/Map";
import { boundingExtent } from "ol/extent";
import { ontoGrid } from "@hindglance/core/grid/globe";
import type { Grid } from "@hindglance/core/grid/grid";
import type { Bounds } from "@hindglance/core/patches/boundsOnGlobe";

/** Room about what is brought into view, pixels; less on a small map. */
const ROOM = 90;
const SHARE = 0.2;

/** Brings a part of the Earth into view on a map in the coordinates of a grid, with room around it. */
export function showBounds(map: OlMap, { west, south, east, north }: Bounds, grid: Grid): void {
  const onMap = ontoGrid(grid);
  const corners = [onMap(west, south), onMap(east, south), onMap(east, north), onMap(west, north)];
  const size = map.getSize() ?? [0, 0];
  const room = Math.min(ROOM, SHARE * Math.min(...size));
  const view = map.getView();
  // One that is still on its way would end where it was going.
  view.cancelAnimations();
  view.fit(boundingExtent(corners), {
    padding: [room, room, room, room],
    minResolution: grid.transform[1] / 3,
    duration: 250,
  });
}
