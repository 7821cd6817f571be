import { fromEcef } from "../geodesy/ecef";
import { type StateVector } from "./orbit";
import { RangeDoppler, type SensorModel } from "./sensor";

/**
 * Metres on the ground between where a scene's middle lies by its product's own orbit and by
 * another; null where either does not pass it.
 */
export function orbitShiftM(sensor: SensorModel, vectors: readonly StateVector[]): number | null {
  const own = new RangeDoppler(sensor);
  const point = own.ground(sensor.lines / 2, sensor.samples / 2, 0);
  if (Number.isNaN(point[0])) {
    return null;
  }
  const other = new RangeDoppler({ ...sensor, orbit: [...vectors] });
  const [lon, lat] = fromEcef(point);
  const place = other.locateGeodetic(lon, lat, 0);
  const along = (place.line - sensor.lines / 2) * sensor.lineSpacingM;
  const across = (place.sample - sensor.samples / 2) * sensor.sampleSpacingM;
  const metres = Math.hypot(along, across);
  return Number.isNaN(metres) ? null : metres;
}
