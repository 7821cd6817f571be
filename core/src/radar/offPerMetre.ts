import type { Grid } from "../grid/grid";
import { frameLook } from "./frameLook";
import { RangeDoppler, type SensorModel } from "./sensor";

/**
 * Metres on the ground by which a place is put off, towards the sensor, for each metre that it is
 * higher than it was taken to be: the cotangent of the incidence in the middle of the frame.
 * @param grid any grid of the map there; null where the sensor does not pass
 */
export function offPerMetre(sensor: SensorModel, grid: Grid): number | null {
  if (sensor.orbit.length < 4) {
    return null;
  }
  const look = frameLook(new RangeDoppler(sensor), grid, 0.5);
  return look && 1 / Math.tan(look.incidence);
}
