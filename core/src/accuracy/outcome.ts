import {
  type Accuracy,
  type ClassAccuracy,
  type Estimate,
  accuracyOf,
  agreementIn,
} from "./estimates";
import {
  type Count,
  type Stratum,
  type StratumCounts,
  type Testing,
  countsByStratum,
} from "./sample";

/** What a map was tested on: places that were drawn by strata, or areas of known class. */
export interface Tested {
  strata: readonly Stratum[];
  design: { drawing: Testing };
}

/** What was seen at places: those whose class is known, by stratum and zone (0: in none). */
export interface Seen {
  counts: readonly (Count & { zone: number })[];
  /** Strata by zone, where the map has zones. */
  zones: readonly (Stratum & { zone: number })[];
}

/** What a sample says of a class; its area is null where nobody looked at ground that is mapped as it. */
export type ClassOutcome = Omit<ClassAccuracy, "area"> & { area: Estimate | null };

/** How right a map is, as a sample says. */
export type OutcomeAccuracy = Omit<Accuracy, "classes"> & { classes: ClassOutcome[] };

/** What a sample says of a map, or of a part of it. */
export interface Outcome {
  /** Null while nothing was looked at. */
  accuracy: OutcomeAccuracy | null;
  /** Strata of which no place was looked at: nothing is said of them. */
  leftOut: StratumCounts[];
  /** Places whose class is known. */
  places: number;
}

/**
 * What is known of a map of which strata are left out of all figures: a class keeps the area that is mapped,
 * and has none adjusted where nobody looked at ground of its own.
 */
const withoutLeftOut = (accuracy: Accuracy, leftOut: readonly Stratum[]): OutcomeAccuracy => ({
  ...accuracy,
  classes: accuracy.classes.map((one) => {
    const own = leftOut.filter(({ label }) => label === one.label);
    return {
      ...one,
      mappedM2: own.reduce((sum, { areaM2 }) => sum + areaM2, one.mappedM2),
      area: own.length > 0 ? null : one.area,
    };
  }),
});

function outcomeOf(strata: readonly Stratum[], counts: readonly Count[]): Outcome {
  const all = countsByStratum(strata, counts);
  const known = all.filter(({ units }) => units > 0);
  const leftOut = all.filter(({ units, areaM2 }) => units === 0 && areaM2 > 0);
  const accuracy = accuracyOf(known);
  return {
    accuracy: accuracy && withoutLeftOut(accuracy, leftOut),
    leftOut,
    places: known.reduce((sum, { units }) => sum + units, 0),
  };
}

/** What a sample, or areas of known class, say of the whole map. */
export function wholeOutcome(
  { strata, design }: Tested,
  { counts }: Pick<Seen, "counts">,
): Outcome {
  if (design.drawing !== "areas") {
    return outcomeOf(strata, counts);
  }
  const all = countsByStratum(strata, counts);
  return {
    accuracy: agreementIn(all),
    leftOut: [],
    places: all.reduce((sum, { units }) => sum + units, 0),
  };
}

/** Places of every stratum of a zone that are needed for it to be told by itself. */
export const LEAST_IN_ZONE = 2;

/** What a sample says of a zone; null where too few places lie in it. */
export interface ZoneOutcome {
  zone: number;
  places: number;
  outcome: Outcome | null;
}

/** What a sample says zone by zone, post-stratified: strata are the parts of the map's in the zone. */
export function zoneOutcomes({ zones, counts }: Seen): ZoneOutcome[] {
  const numbers = [...new Set(zones.map(({ zone }) => zone))].sort((a, b) => a - b);
  return numbers.map((zone) => {
    const strata = zones.filter((one) => one.zone === zone);
    const own = counts.filter((one) => one.zone === zone);
    const isEnough = countsByStratum(strata, own).every(({ units }) => units >= LEAST_IN_ZONE);
    return {
      zone,
      places: own.reduce((sum, { units }) => sum + units, 0),
      outcome: isEnough ? outcomeOf(strata, own) : null,
    };
  });
}
