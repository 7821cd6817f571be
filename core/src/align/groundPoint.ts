/**
 * A place of an image that is known on the ground: columns and rows from the outer corner of the first
 * cell, rows downwards; longitude and latitude on WGS 84.
 */
export interface GroundPoint {
  from: [number, number];
  to: [number, number];
}

/** Points of one image that are kept at most. */
const MOST = 200;

/** Points thinned out evenly where they are more than can be worked with. */
export const thinned = (points: readonly GroundPoint[]): GroundPoint[] => {
  const step = Math.max(1, Math.ceil(points.length / MOST));
  return points.filter((_point, k) => k % step === 0);
};
