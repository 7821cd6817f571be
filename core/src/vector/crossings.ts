import Flatbush from "flatbush";
import { InputError } from "../errors";
import type { Coordinates } from "./features";

type Point = readonly [number, number];

/** A side of a ring: its ends, and the corner before it. */
interface Side {
  from: Point;
  to: Point;
  before: Point;
}

const isSame = (a: Point, b: Point): boolean => a[0] === b[0] && a[1] === b[1];

/**
 * On which side of a line through two points a third one lies: 1 left, −1 right, 0 on it.
 *
 * @param tolerance distance from the line up to which a point lies on it
 */
function sideOf(a: Point, b: Point, point: Point, tolerance: number): number {
  const [x, y] = [b[0] - a[0], b[1] - a[1]];
  const area = x * (point[1] - a[1]) - y * (point[0] - a[0]);
  // Squared, as there are many of them.
  return area * area <= tolerance * tolerance * (x * x + y * y) ? 0 : Math.sign(area);
}

/** Corners of a ring without its last one and without repeated ones. */
function cornersOf(ring: readonly Coordinates[]): Point[] {
  const corners = ring.map(([x, y]): Point => [x!, y!]);
  return corners.filter((corner, k) => !isSame(corner, corners.at(k - 1)!) || corners.length === 1);
}

function sidesOf(ring: readonly Coordinates[]): Side[] {
  const corners = cornersOf(ring);
  const at = (k: number): Point => corners.at(k % corners.length)!;
  return corners.map((from, k) => ({
    from,
    to: at(k + 1),
    before: at(k - 1),
  }));
}

/** Whether the ends of each of two sides lie on both sides of the other one. */
function crossWithin(first: Side, second: Side, tolerance: number): boolean {
  const of = (side: Side, point: Point) => sideOf(side.from, side.to, point, tolerance);
  return (
    of(first, second.from) * of(first, second.to) < 0 &&
    of(second, first.from) * of(second, first.to) < 0
  );
}

/** Whether a point that lies on the line of a side lies between its ends, and is none of them. */
const isWithin = ({ from, to }: Side, point: Point): boolean => {
  const along = (point[0] - from[0]) * (to[0] - from[0]) + (point[1] - from[1]) * (to[1] - from[1]);
  const length = (to[0] - from[0]) ** 2 + (to[1] - from[1]) ** 2;
  return along > 0 && along < length;
};

/** Whether a ring passes through a side at its own corner `second.from`. */
function crossAtCorner(first: Side, second: Side, tolerance: number): boolean {
  const of = (point: Point) => sideOf(first.from, first.to, point, tolerance);
  return (
    of(second.from) === 0 && isWithin(first, second.from) && of(second.before) * of(second.to) < 0
  );
}

/** Directions that differ by no more are the same, in radians. */
const SAME_WAY = 1e-9;

/** The turn at a corner from one direction to another, counter-clockwise in radians. */
function turnAt(corner: Point, first: Point, second: Point): number {
  const angle = (to: Point) => Math.atan2(to[1] - corner[1], to[0] - corner[0]);
  const gap = angle(second) - angle(first);
  return gap < 0 ? gap + 2 * Math.PI : gap;
}

/** Whether two rings, or two parts of one, cross at a corner that both have. */
function crossAtBoth(first: Side, second: Side): boolean {
  if (!isSame(first.from, second.from)) {
    return false;
  }
  const turnTo = (point: Point) => turnAt(first.from, first.before, point);
  const own = turnTo(first.to);
  const before = turnTo(second.before);
  const to = turnTo(second.to);
  const isAlong = [before, to].some((turn) =>
    [0, own, 2 * Math.PI].some((edge) => Math.abs(turn - edge) < SAME_WAY),
  );
  // Where they leave along each other they cross, if at all, at the end of what they share.
  return !isAlong && before < own !== to < own;
}

/** Pairs of sides near each other that are looked at, at least and for each side: usual are a few. */
const MOST_PAIRS = { inAll: 1_000_000, aSide: 20 };

/**
 * Where rings of a polygon cross themselves or each other; null where they do not. Rings that only
 * touch, or run along each other, do not cross.
 *
 * @param rings positions in any one plane system, each ring closed or not
 * @param tolerance distance up to which a corner lies on a side instead of across it
 * @returns a corner or an end of a side at the crossing
 * @throws InputError where so many sides lie near each other that it would take too long
 */
export function crossingOf(
  rings: readonly (readonly Coordinates[])[],
  tolerance = 0,
): [number, number] | null {
  const sides = rings.flatMap(sidesOf);
  if (sides.length < 4) {
    return null;
  }
  const index = new Flatbush(sides.length);
  for (const { from, to } of sides) {
    index.add(
      Math.min(from[0], to[0]),
      Math.min(from[1], to[1]),
      Math.max(from[0], to[0]),
      Math.max(from[1], to[1]),
    );
  }
  index.finish();
  const most = MOST_PAIRS.inAll + MOST_PAIRS.aSide * sides.length;
  let pairs = 0;
  for (const [k, side] of sides.entries()) {
    const { from, to } = side;
    const near = index.search(
      Math.min(from[0], to[0]),
      Math.min(from[1], to[1]),
      Math.max(from[0], to[0]),
      Math.max(from[1], to[1]),
      (other) => other !== k,
    );
    pairs += near.length;
    if (pairs > most) {
      throw new InputError("has more sides near each other than can be looked through");
    }
    const crosses = near.some((other) => {
      const second = sides[other]!;
      return (
        crossWithin(side, second, tolerance) ||
        crossAtCorner(side, second, tolerance) ||
        crossAtBoth(side, second)
      );
    });
    if (crosses) {
      return [from[0], from[1]];
    }
  }
  return null;
}

/** Whether a place lies inside a ring, by the even–odd rule; on its edge either may come out. */
export function isInside([x, y]: readonly number[], ring: readonly Coordinates[]): boolean {
  let inside = false;
  for (let k = 0, last = ring.length - 1; k < ring.length; last = k++) {
    const [x0, y0] = ring[last]!;
    const [x1, y1] = ring[k]!;
    if (y0! > y! !== y1! > y! && x! < ((x1! - x0!) * (y! - y0!)) / (y1! - y0!) + x0!) {
      inside = !inside;
    }
  }
  return inside;
}
