import { type Geom, difference } from "polyclip-ts";
import type { MultiPolygon, Polygon, Position } from "./polygons";

/** Half the width of a cut, as a share of the size of what is cut: far less than any cell. */
const HALF_WIDTH = 1e-9;

/** Places that a line goes through, in the coordinates of what it cuts. */
export type Line = readonly Position[];

/** How far places are apart along the longer axis. */
function sizeOf(places: readonly Position[]): number {
  const along = (axis: 0 | 1) => {
    const all = places.map((place) => place[axis]);
    return all.reduce((a, b) => Math.max(a, b)) - all.reduce((a, b) => Math.min(a, b));
  };
  return Math.max(along(0), along(1));
}

/** A line as a strip, one piece for each of its parts, each a little longer than the part. */
function stripOf(line: Line, half: number): Geom {
  return line.slice(1).flatMap((to, k): Polygon[] => {
    const from = line[k]!;
    const [x, y] = [to[0] - from[0], to[1] - from[1]];
    const length = Math.hypot(x, y);
    if (length === 0) {
      return [];
    }
    const [east, north] = [(x / length) * half, (y / length) * half];
    const start: Position = [from[0] - east, from[1] - north];
    const end: Position = [to[0] + east, to[1] + north];
    const left = ([px, py]: Position): Position => [px - north, py + east];
    const right = ([px, py]: Position): Position => [px + north, py - east];
    return [[[left(start), left(end), right(end), right(start), left(start)]]];
  });
}

/**
 * Polygons cut along a line, in two or more parts. Polygons that the line does not part stay with the
 * first part, and so does a piece of each that it does. What lies under the line itself, a billionth of
 * the polygons' size, is lost.
 * @param line in the coordinates of the polygons
 * @returns null where the line parts nothing
 */
export function splitByLine(polygons: MultiPolygon, line: Line): MultiPolygon[] | null {
  const half = sizeOf(polygons.flat(2)) * HALF_WIDTH;
  const strip = stripOf(line, half);
  if (strip.length === 0 || half === 0) {
    return null;
  }
  const first: MultiPolygon = [];
  const others: MultiPolygon[] = [];
  for (const polygon of polygons) {
    const [own, ...rest] = difference([polygon], strip);
    if (own && rest.length > 0) {
      first.push(own);
      others.push(...rest.map((piece): MultiPolygon => [piece]));
    } else {
      first.push(polygon);
    }
  }
  return others.length > 0 ? [first, ...others] : null;
}
