import { InputError } from "../errors";
import { crossingOf, isInside } from "./crossings";
import { type Coordinates, type Feature, polygonsOf, rowsOf } from "./features";

/**
 * What can be wrong with a geometry: nothing is there, a place is no two numbers, or lies nowhere on
 * the globe, a ring does not end where it began, has no area, crosses itself or another one, is a
 * hole outside its shell, or has too many sides near each other to be looked through.
 */
export type FaultKind =
  | "empty"
  | "notNumbers"
  | "offGlobe"
  | "openRing"
  | "flatRing"
  | "crossing"
  | "holeOutside"
  | "tooDense";

/** What is wrong with one feature. */
export interface Fault {
  /** Counted from 1, as the features stand in their file. */
  feature: number;
  kind: FaultKind;
  /** In words, without the feature's number. */
  said: string;
}

/** Faults that can be mended without asking what was meant; the others refuse a file. */
const REPAIRABLE: readonly FaultKind[] = [
  "empty",
  "openRing",
  "flatRing",
  "crossing",
  "holeOutside",
];

/** Whether a fault can be mended. */
export const isRepairable = ({ kind }: Fault): boolean => REPAIRABLE.includes(kind);

/** One turn and a half: longitudes may be counted on past 180. */
const MOST_LON = 540;
const MOST_LAT = 90;
/** Degrees that a corner may be off by rounding: about two centimetres. */
const TOLERANCE = 2e-7;
/** Rounding that is not held against a pole. */
const SLACK = 1e-9;

const told = ([x, y]: Coordinates): string =>
  `${+x!.toFixed(6)}, ${+y!.toFixed(6)}`.replaceAll("-", "−");

/** Whether a place can be longitude and latitude; longitudes may be counted on past 180. */
export const isOnGlobe = ([x, y]: readonly number[]): boolean =>
  Math.abs(x!) <= MOST_LON && Math.abs(y!) <= MOST_LAT + SLACK;

const isPlace = (place: Coordinates): boolean =>
  place.length >= 2 && place.every((value) => Number.isFinite(value));

type Found = Omit<Fault, "feature">;

/** What is wrong with the places of a geometry. */
function placesFault(rows: readonly Coordinates[][]): Found | null {
  const places = rows.flat();
  if (places.length === 0) {
    return { kind: "empty", said: "has no places" };
  }
  if (!places.every(isPlace)) {
    return { kind: "notNumbers", said: "has a place that is not two numbers" };
  }
  const off = places.find((place) => !isOnGlobe(place));
  return off
    ? { kind: "offGlobe", said: `has the place ${told(off)}, which is no longitude and latitude` }
    : null;
}

const isClosed = (ring: readonly Coordinates[]): boolean => {
  const [first, last] = [ring[0]!, ring.at(-1)!];
  return ring.length > 1 && first[0] === last[0] && first[1] === last[1];
};

/** Corners of a ring that differ, up to three. */
const isFlat = (ring: readonly Coordinates[]): boolean =>
  new Set(ring.map(([x, y]) => `${x} ${y}`)).size < 3;

/** What is wrong with a polygon. */
function polygonFaults(rings: readonly Coordinates[][]): Found[] {
  const faults: Found[] = [];
  const open = rings.find((ring) => !isClosed(ring));
  if (open) {
    const said = `has a ring that begins at ${told(open[0]!)} and does not end there`;
    faults.push({ kind: "openRing", said });
  }
  if (rings.some(isFlat)) {
    faults.push({ kind: "flatRing", said: "has a ring of fewer than three corners" });
  }
  const whole = rings.filter((ring) => !isFlat(ring));
  let crossing: ReturnType<typeof crossingOf>;
  try {
    crossing = crossingOf(whole, TOLERANCE);
  } catch (error) {
    if (error instanceof InputError) {
      return [{ kind: "tooDense", said: error.message }];
    }
    throw error;
  }
  if (crossing) {
    faults.push({ kind: "crossing", said: `crosses itself near ${told(crossing)}` });
    return faults;
  }
  const [shell, ...holes] = whole;
  const outside = holes.find((hole) => hole.every((corner) => !isInside(corner, shell!)));
  if (outside) {
    faults.push({
      kind: "holeOutside",
      said: `has a hole outside its shell, at ${told(outside[0]!)}`,
    });
  }
  return faults;
}

function faultsIn({ geometry }: Feature): Found[] {
  const wrong = placesFault(rowsOf(geometry));
  if (wrong) {
    return [wrong];
  }
  return polygonsOf(geometry).flatMap((rings) =>
    polygonFaults(rings.filter((ring) => ring.length > 0)),
  );
}

/**
 * What is wrong with the geometries of features in longitude and latitude.
 *
 * @param before features of their file that stand before them
 * @returns a fault of each kind a feature, in the order of the features
 */
export function faultsOf(features: readonly Feature[], before = 0): Fault[] {
  return features.flatMap((feature, k) => {
    const kinds = new Map(faultsIn(feature).map((fault) => [fault.kind, fault] as const));
    return [...kinds.values()].map((fault) => ({ feature: before + k + 1, ...fault }));
  });
}
