import { drawnRing, ontoGlobe } from "@hindglance/core/grid/globe";
import { type Grid, outline } from "@hindglance/core/grid/grid";

/** Outline of a grid on the globe, longitude and latitude. */
export function footprint(grid: Grid): [number, number][] {
  const globe = ontoGlobe(grid);
  return drawnRing(outline(grid).map(([x, y]) => globe(x, y)));
}
