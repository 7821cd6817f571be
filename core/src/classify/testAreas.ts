import { difference, intersection } from "polyclip-ts";
import type { MultiPolygon, Position } from "../vector/polygons";
import type { ClassifySettings, TrainingArea } from "./settings";

/** Share of the smaller of two areas that they may have in common: what rounding of a border makes. */
const BORDER = 1e-6;

/** West, south, east, north. */
type Extent = [number, number, number, number];

function extentOf(polygons: MultiPolygon): Extent {
  const extent: Extent = [Infinity, Infinity, -Infinity, -Infinity];
  for (const [x, y] of polygons.flat(2)) {
    extent[0] = Math.min(extent[0], x);
    extent[1] = Math.min(extent[1], y);
    extent[2] = Math.max(extent[2], x);
    extent[3] = Math.max(extent[3], y);
  }
  return extent;
}

const meet = (one: Extent, other: Extent): boolean =>
  one[0] < other[2] && other[0] < one[2] && one[1] < other[3] && other[1] < one[3];

/** Twice the area inside a ring, in the square of its coordinates. */
function twiceInside(ring: readonly Position[]): number {
  const sum = ring.slice(1).reduce((all, [x, y], k) => {
    const [px, py] = ring[k]!;
    return all + px * y - x * py;
  }, 0);
  return Math.abs(sum);
}

/** Twice an area, without its holes. */
const sizeOf = (polygons: MultiPolygon): number =>
  polygons.reduce(
    (sum, [shell, ...holes]) =>
      sum + twiceInside(shell!) - holes.reduce((all, hole) => all + twiceInside(hole), 0),
    0,
  );

/** Whether two areas share ground, beyond what a common border may. */
function shareGround(one: MultiPolygon, other: MultiPolygon): boolean {
  const common = intersection(one, other) as MultiPolygon;
  return sizeOf(common) > BORDER * Math.min(sizeOf(one), sizeOf(other));
}

/** Whether there is a date for which both areas hold. */
const holdTogether = (
  one: Pick<TrainingArea, "sceneId">,
  other: Pick<TrainingArea, "sceneId">,
): boolean => one.sceneId === null || other.sceneId === null || one.sceneId === other.sceneId;

/** What helps where they do. */
export const OVERLAP_HINT =
  "What maps are tested on is not trained on: draw beside it, or delete one of the two.";

/** A training area and a test area that share ground, by their ids. */
export interface SharedGround {
  training: string;
  test: string;
}

/**
 * Training areas that share ground with a test area which holds for the same date, each with the first
 * such: what a map is trained on tells nothing of how right it is elsewhere.
 * @param isNew of which areas it is asked; a pair of others is not looked at
 */
export function sharedGround(
  areas: Readonly<Record<string, TrainingArea>>,
  isNew: (id: string) => boolean = () => true,
): SharedGround[] {
  const all = Object.entries(areas).map(([id, area]) => ({
    ...{ id, area, isNew: isNew(id) },
    extent: extentOf(area.polygons),
  }));
  const tests = all.filter(({ area }) => area.isTest);
  return all
    .filter(({ area }) => !area.isTest)
    .flatMap((one) => {
      const test = tests.find(
        (other) =>
          (one.isNew || other.isNew) &&
          meet(one.extent, other.extent) &&
          holdTogether(one.area, other.area) &&
          shareGround(one.area.polygons, other.area.polygons),
      );
      return test ? [{ training: one.id, test: test.id }] : [];
    });
}

/**
 * What is to be said of training areas that share ground with test areas; null where none does.
 * @param isNew as in sharedGround
 */
export function sharedGroundSaid(
  { areas, legend }: Pick<ClassifySettings, "areas" | "legend">,
  isNew: (id: string) => boolean,
): string | null {
  const shared = sharedGround(areas, isNew);
  const [first] = shared;
  if (!first) {
    return null;
  }
  const nameOf = (id: string) =>
    legend.find(({ label }) => label === areas[id]!.label)?.name.toLowerCase() ?? "no class";
  return shared.length === 1
    ? `A training area of ${nameOf(first.training)} overlaps a test area of ${nameOf(first.test)}`
    : `${shared.length} training areas overlap test areas, the first one of ${nameOf(first.training)}`;
}

/**
 * Ground to train on without that of test areas which hold for the same date, and how many of those took
 * some of it.
 */
export function withoutTests(
  { polygons, sceneId }: Pick<TrainingArea, "polygons" | "sceneId">,
  areas: Readonly<Record<string, TrainingArea>>,
): { polygons: MultiPolygon; tests: number } {
  const extent = extentOf(polygons);
  const tests = Object.values(areas).filter(
    (area) =>
      area.isTest &&
      holdTogether({ sceneId }, area) &&
      meet(extent, extentOf(area.polygons)) &&
      shareGround(polygons, area.polygons),
  );
  const rest =
    tests.length > 0 ? difference(polygons, ...tests.map((one) => one.polygons)) : polygons;
  return { polygons: rest, tests: tests.length };
}
