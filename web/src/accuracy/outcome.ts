import { type Accuracy, accuracyOf, agreementIn } from "@hindglance/core/accuracy/estimates";
import {
  type Stratum,
  type StratumCounts,
  countsByStratum,
} from "@hindglance/core/accuracy/sample";
import type { Sample, SampleResult } from "@hindglance/contract/accuracy";

/** What a sample says of a map, or of a part of it. */
export interface Outcome {
  /** Null while nothing was looked at. */
  accuracy: Accuracy | null;
  /** Strata of which no place was looked at: nothing is said of them. */
  leftOut: StratumCounts[];
  /** Places whose class is known. */
  places: number;
}

function outcomeOf(strata: readonly Stratum[], counts: SampleResult["counts"]): Outcome {
  const all = countsByStratum(strata, counts);
  const known = all.filter(({ units }) => units > 0);
  return {
    accuracy: accuracyOf(known),
    leftOut: all.filter(({ units, areaM2 }) => units === 0 && areaM2 > 0),
    places: known.reduce((sum, { units }) => sum + units, 0),
  };
}

/** What a sample, or areas of known class, say of the whole map. */
export function wholeOutcome({ strata, design }: Sample, { counts }: SampleResult): Outcome {
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
export function zoneOutcomes({ zones, counts }: SampleResult): ZoneOutcome[] {
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

/** The outcome as text with tabs, for pasting into a document. */
export function outcomeText(
  { labels, units, ...accuracy }: Accuracy,
  nameOf: (label: number) => string,
) {
  const share = (one: { value: number; low: number | null; high: number | null } | null) =>
    one ? [one.value, one.low ?? "", one.high ?? ""] : ["", "", ""];
  const lines: (string | number)[][] = [
    ["map \\ reference, places", ...labels.map(nameOf)],
    ...units.map((row, k) => [nameOf(labels[k]!), ...row]),
    [],
    ["", "estimate", "95 % from", "95 % to"],
    ["overall accuracy", ...share(accuracy.overall)],
    ["kappa", ...share(accuracy.kappa)],
    ["quantity disagreement", ...share(accuracy.quantity)],
    ["allocation disagreement", ...share(accuracy.allocation)],
    ...accuracy.classes.flatMap((one) => [
      [`${nameOf(one.label)}, mapped m²`, one.mappedM2],
      [`${nameOf(one.label)}, adjusted m²`, ...share(one.area)],
      [`${nameOf(one.label)}, user's`, ...share(one.users)],
      [`${nameOf(one.label)}, producer's`, ...share(one.producers)],
      [`${nameOf(one.label)}, F1`, ...share(one.f1)],
      [`${nameOf(one.label)}, kappa`, ...share(one.kappa)],
    ]),
  ];
  return lines.map((cells) => cells.join("\t")).join("\n");
}
