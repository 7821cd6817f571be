import {
  type Path64,
  type Paths64,
  type Rect64,
  EndType,
  FillRule,
  JoinType,
  PointInPolygonResult,
  difference as differencePaths,
  inflatePaths,
  intersect as intersectPaths,
  pointInPolygon,
  union as unionPaths,
} from "clipper2-ts";
import type { MultiPolygon, Position } from "../vector/polygons";

/**
 * Corners of edited outlines lie on a lattice of so many steps a cell, counted from the first cell of the
 * map: results of clipping are exact there, and outlines that share a side share it to the last digit.
 */
export const STEPS_A_CELL = 4096;

const toSteps = (value: number): number => Math.round(value * STEPS_A_CELL);

const pathsOf = (polygons: MultiPolygon): Paths64 =>
  polygons.flat().map((ring) => {
    const isClosed = ring.length > 1 && isSame(ring[0]!, ring.at(-1)!);
    return (isClosed ? ring.slice(0, -1) : ring).map(([x, y]) => ({
      x: toSteps(x),
      y: toSteps(y),
    }));
  });

const isSame = (one: Position, other: Position): boolean =>
  one[0] === other[0] && one[1] === other[1];

/** Twice the area of a path in square steps; its sign tells shells from holes. */
function doubleArea(path: Path64): number {
  return path.reduce((sum, { x, y }, k) => {
    const next = path[(k + 1) % path.length]!;
    return sum + (x * next.y - next.x * y);
  }, 0);
}

/** Cuts a path into simple ones wherever it comes to one of its corners again. */
function splitAtRepeats(path: Path64): Paths64 {
  const at = new Map<string, number>();
  const stack: Path64 = [];
  const out: Paths64 = [];
  for (const point of [...path, path[0]!]) {
    const key = `${point.x},${point.y}`;
    const known = at.get(key);
    if (known !== undefined) {
      const loop = stack.splice(known);
      loop.forEach((one) => at.delete(`${one.x},${one.y}`));
      if (loop.length > 2) {
        out.push(loop);
      }
    }
    at.set(key, stack.length);
    stack.push(point);
  }
  return out;
}

/** A path without corners at which it goes straight on. */
function withoutStraights(path: Path64): Path64 {
  return path.filter((point, k) => {
    const before = path.at(k - 1)!;
    const after = path[(k + 1) % path.length]!;
    const turn =
      (point.x - before.x) * (after.y - point.y) - (point.y - before.y) * (after.x - point.x);
    return turn !== 0;
  });
}

/** Ends of a path in steps. */
function boxOf(path: Path64): Rect64 {
  const box = { left: Infinity, top: Infinity, right: -Infinity, bottom: -Infinity };
  for (const { x, y } of path) {
    box.left = Math.min(box.left, x);
    box.right = Math.max(box.right, x);
    box.top = Math.min(box.top, y);
    box.bottom = Math.max(box.bottom, y);
  }
  return box;
}

/** Whether a path lies in a box, but for the rounding of its corners. */
function isInBox(path: Path64, box: Rect64): boolean {
  const own = boxOf(path);
  return (
    own.left >= box.left - 2 &&
    own.right <= box.right + 2 &&
    own.top >= box.top - 2 &&
    own.bottom <= box.bottom + 2
  );
}

/** How many corners of a path lie within another one, less those that lie outside of it. */
const cornersWithin = (path: Path64, shell: Path64): number =>
  path.reduce((balance, point) => {
    const where = pointInPolygon(point, shell);
    if (where === PointInPolygonResult.IsOn) {
      return balance;
    }
    return balance + (where === PointInPolygonResult.IsInside ? 1 : -1);
  }, 0);

const ringOf = (path: Path64): Position[] => {
  // Clipping counts upwards and rows count downwards: shells turn the other way.
  const ring = path.toReversed().map(({ x, y }): Position => [x / STEPS_A_CELL, y / STEPS_A_CELL]);
  return [...ring, [...ring[0]!]];
};

/** Polygons from what clipping gave: shells with the holes that lie in them. */
function polygonsOf(paths: Paths64): MultiPolygon {
  const rings = paths
    .map(withoutStraights)
    .filter((path) => path.length > 2)
    .flatMap(splitAtRepeats)
    .map((path) => ({ path, area: doubleArea(path) }));
  const shells = rings
    .filter(({ area }) => area > 0)
    .sort((one, other) => one.area - other.area)
    .map((shell) => ({ ...shell, box: boxOf(shell.path), holes: [] as Path64[] }));
  // Corners may have been rounded to the other side of a shell: the one that has most of a hole has it.
  for (const { path } of rings.filter(({ area }) => area < 0)) {
    const near = shells.filter((shell) => isInBox(path, shell.box));
    const within = near.map((shell) => cornersWithin(path, shell.path));
    near[within.indexOf(Math.max(...within))]?.holes.push(path);
  }
  return shells.map(({ path, holes }) => [path, ...holes].map(ringOf));
}

/** Polygons as clipping leaves them: on the lattice, without crossings of their own. */
export const cleaned = (polygons: MultiPolygon): MultiPolygon =>
  polygonsOf(unionPaths(pathsOf(polygons), FillRule.EvenOdd));

/** Ground of either. All polygons are in cells of the map, columns and rows. */
export const union = (one: MultiPolygon, other: MultiPolygon): MultiPolygon =>
  polygonsOf(unionPaths(pathsOf(one), pathsOf(other), FillRule.EvenOdd));

/** Ground of one that is not of the other. */
export const difference = (one: MultiPolygon, other: MultiPolygon): MultiPolygon =>
  polygonsOf(differencePaths(pathsOf(one), pathsOf(other), FillRule.EvenOdd));

/** Ground that both have. */
export const intersection = (one: MultiPolygon, other: MultiPolygon): MultiPolygon =>
  polygonsOf(intersectPaths(pathsOf(one), pathsOf(other), FillRule.EvenOdd));

/**
 * Ground of one that is of none of many others, which lie apart and turn as polygons of maps do.
 * @param one as clipping leaves it
 */
export const differenceOfAll = (
  one: MultiPolygon,
  others: readonly MultiPolygon[],
): MultiPolygon =>
  others.length === 0
    ? one
    : polygonsOf(differencePaths(pathsOf(one), pathsOf(others.flat()), FillRule.NonZero));

/** A line as the thinnest strip that clipping knows: two steps wide, and one longer at each end. */
export const stripAlong = (line: readonly Position[]): MultiPolygon =>
  polygonsOf(
    inflatePaths(
      [line.map(([x, y]) => ({ x: toSteps(x), y: toSteps(y) }))],
      1,
      JoinType.Miter,
      EndType.Square,
    ),
  );

/** Area of polygons in cells. */
export const areaInCells = (polygons: MultiPolygon): number =>
  polygons.reduce(
    (sum, [shell, ...holes]) =>
      sum +
      Math.abs(ringArea(shell!)) -
      holes.reduce((of, hole) => of + Math.abs(ringArea(hole)), 0),
    0,
  );

/** Area of a ring in cells, its sign by the way it turns. */
export function ringArea(ring: readonly Position[]): number {
  let sum = 0;
  for (let k = 0; k + 1 < ring.length; k++) {
    sum += ring[k]![0] * ring[k + 1]![1] - ring[k + 1]![0] * ring[k]![1];
  }
  return sum / 2;
}
