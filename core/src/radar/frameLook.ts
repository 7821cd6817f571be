import { fromEcef } from "../geodesy/ecef";
import { ontoGrid } from "../grid/globe";
import { type Grid, toCell } from "../grid/grid";
import type { RangeDoppler } from "./sensor";
import { type LookGeometry, lookGeometry } from "./terrain";

/**
 * How the sensor sees the ground at a place of its product's frame, on the ellipsoid; null where it
 * does not pass it.
 * @param grid of the map: the cells that the look is told in
 * @param across the place across the frame, as a share of its samples: 0 is near, 1 is far; it lies
 * in the middle of the lines
 */
export function frameLook(rd: RangeDoppler, grid: Grid, across: number): LookGeometry | null {
  const { lines, samples } = rd.model;
  const point = rd.ground(lines / 2, across * samples, 0);
  if (Number.isNaN(point[0])) {
    return null;
  }
  const [lon, lat] = fromEcef(point);
  return lookGeometry(rd, grid, ...toCell(grid, ...ontoGrid(grid)(lon, lat)), 0);
}
