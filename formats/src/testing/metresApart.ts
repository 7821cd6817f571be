const METRES_A_DEGREE = 111_195;

/**
 * Metres between two places in longitude and latitude (degrees) on a sphere of the Earth's mean radius,
 * good to a part in a hundred for places near each other. NaN where a coordinate is.
 */
export function metresApart(
  [lon, lat]: readonly [number, number],
  [otherLon, otherLat]: readonly [number, number],
): number {
  const turn = lon - otherLon;
  const across = (turn - 360 * Math.round(turn / 360)) * Math.cos((lat * Math.PI) / 180);
  return METRES_A_DEGREE * Math.hypot(across, lat - otherLat);
}
