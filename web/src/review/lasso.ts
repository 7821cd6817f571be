import { MOST_CORNERS } from "@hindglance/contract/changeMaps";
import type { AreaGeometry } from "../api/types";

/** Decimals of a degree that a corner is asked by: a metre. */
const DECIMALS = 5;

/** A drawn ring as patches are asked for within it: so many of its corners as can be asked, evenly. */
export function ringOf({ coordinates }: AreaGeometry): number[] | null {
  const ring = coordinates[0]?.[0]?.slice(0, -1) ?? [];
  const every = Math.max(1, Math.ceil(ring.length / MOST_CORNERS));
  const corners = ring.filter((_corner, k) => k % every === 0);
  return corners.length < 3
    ? null
    : corners.flatMap((corner) => corner.map((degrees) => Number(degrees.toFixed(DECIMALS))));
}
