import type { Crs, PointTransform } from "@hindglance/core/geodesy/crs";
import { toEcef } from "@hindglance/core/geodesy/ecef";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { RangeDoppler, type SensorModel, type SensorPosition } from "@hindglance/core/radar/sensor";

/** An image as far as it tells where places lie on its map. */
export interface Placing {
  grid: { crs: Crs };
  sensor?: SensorModel;
}

/** Where a line and a sample lie on the map: whole numbers are centres of cells, lines run downwards. */
export const placeOfLine = ({
  sample,
  line,
}: Pick<SensorPosition, "sample" | "line">): [number, number] => [sample + 0.5, -(line + 0.5)];

/** How far around the middle of an image places are looked for, in its longer sides. */
const REACH = 2;

/**
 * From longitude and latitude to the map of an image in its sensor's lines and samples, which run
 * downwards there. Exact at the height; ground that is higher or lower lies nearer to the sensor or
 * farther from it.
 *
 * @param height metres above the ellipsoid
 * @returns NaN for places far from the image, and where it has no lines of a sensor
 */
export function ontoLines({ sensor }: Placing, height: number): PointTransform {
  if (!sensor) {
    return () => [NaN, NaN];
  }
  const geometry = new RangeDoppler(sensor);
  const middle = geometry.ground(sensor.lines / 2, sensor.samples / 2, height);
  const reach =
    REACH * Math.max(sensor.lines * sensor.lineSpacingM, sensor.samples * sensor.sampleSpacingM);
  return (lon, lat) => {
    const [x, y, z] = toEcef(lon, lat, height);
    // On the far side of the orbit other places have the same ranges.
    if (Math.hypot(x - middle[0], y - middle[1], z - middle[2]) > reach) {
      return [NaN, NaN];
    }
    return placeOfLine(geometry.locateGeodetic(lon, lat, height));
  };
}

/** Whether an image lies in the lines and samples of a sensor that it knows. */
export const isInLines = ({ grid, sensor }: Placing): boolean =>
  isSensorFrame(grid.crs) && sensor !== undefined;
