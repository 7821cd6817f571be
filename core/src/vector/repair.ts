import { type Geom, union } from "polyclip-ts";
import type { Fault } from "./check";
import { type Coordinates, type Feature, type Geometry, partsOf, rowsOf } from "./features";
import type { MultiPolygon } from "./polygons";

type Rings = Coordinates[][];

const isSame = (a: Coordinates, b: Coordinates): boolean => a[0] === b[0] && a[1] === b[1];

/** A ring that ends where it began. */
const closed = (ring: Coordinates[]): Coordinates[] =>
  ring.length > 0 && !isSame(ring[0]!, ring.at(-1)!) ? [...ring, ring[0]!] : ring;

const hasCorners = (ring: readonly Coordinates[]): boolean =>
  new Set(ring.map(([x, y]) => `${x} ${y}`)).size >= 3;

const asPairs = (rings: Rings): [number, number][][] =>
  rings.map((ring) => ring.map(([x, y]) => [x!, y!]));

/**
 * Polygons as one area without overlaps: what is in any of them is in it once. Rings that cross
 * themselves are cut there, by the even–odd rule; holes outside their shell go.
 */
export function dissolved(polygons: readonly Rings[]): MultiPolygon {
  const [first, ...others] = polygons
    .map((rings) => rings.map(closed).filter(hasCorners))
    .filter((rings) => rings.length > 0)
    .map((rings): Geom => asPairs(rings));
  return first ? union(first, ...others) : [];
}

/** A single geometry without faults; null where nothing is left of it. */
function repairedPart(part: ReturnType<typeof partsOf>[number]): Geometry | null {
  switch (part.type) {
    case "Polygon": {
      const coordinates = dissolved([part.coordinates]);
      return coordinates.length > 0 ? { type: "MultiPolygon", coordinates } : null;
    }
    case "MultiPolygon": {
      const coordinates = part.coordinates.flatMap((rings) => dissolved([rings]));
      return coordinates.length > 0 ? { type: "MultiPolygon", coordinates } : null;
    }
    default:
      return rowsOf(part).flat().length > 0 ? part : null;
  }
}

/**
 * Features without the faults that can be mended: rings are closed, crossing ones cut where they
 * cross, rings without area and holes outside their shell left out, and features of which nothing is
 * left too. Faultless features stay as they are.
 */
export function repaired(features: readonly Feature[], faults: readonly Fault[]): Feature[] {
  const faulty = new Set(faults.map(({ feature }) => feature));
  return features.flatMap((feature, k) => {
    const { properties, geometry } = feature;
    if (!faulty.has(k + 1)) {
      return [feature];
    }
    const parts = (geometry ? partsOf(geometry) : [])
      .map(repairedPart)
      .filter((part) => part !== null);
    const [only] = parts;
    if (!only) {
      return [];
    }
    const whole: Geometry =
      parts.length === 1 ? only : { type: "GeometryCollection", geometries: parts };
    return [{ properties, geometry: whole }];
  });
}
