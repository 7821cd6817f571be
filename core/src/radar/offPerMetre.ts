import { fromEcef } from "../geodesy/ecef";
import { ontoGrid } from "../grid/globe";
import { type Grid, toCell } from "../grid/grid";
import { RangeDoppler, type SensorModel } from "./sensor";
import { lookGeometry } from "./terrain";

/**
 * Metres on the ground by which a place is put off, towards the sensor, for each metre that it is
 * higher than it was taken to be: the cotangent of the incidence in the middle of the frame.
 * @param grid any grid of the map there; null where the sensor does not pass
 */
export function offPerMetre(sensor: SensorModel, grid: Grid): number | null {
  if (sensor.orbit.length < 4) {
    return null;
  }
  const rd = new RangeDoppler(sensor);
  const point = rd.ground(sensor.lines / 2, sensor.samples / 2, 0);
  if (Number.isNaN(point[0])) {
    return null;
  }
  const [lon, lat] = fromEcef(point);
  const look = lookGeometry(rd, grid, ...toCell(grid, ...ontoGrid(grid)(lon, lat)), 0);
  return look && 1 / Math.tan(look.incidence);
}
