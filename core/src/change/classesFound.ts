import type { BandInfo } from "../graph/image";
import type { Histogram } from "../raster/histogram";
import { type FirstMap, withFirstMap } from "./firstMap/firstMap";
import { measureOf } from "./measures/all";
import { gainLossRules } from "./presets";
import type { ChangeSetup } from "./setup";

/** What was found of a pair: how its measure is spread and, where one can be made, its first map. */
export interface FoundOfPair {
  measure: Histogram;
  first: FirstMap | null;
}

/**
 * Settings with classes from the pair itself: those of its first map; where none is made, what is
 * unusual.
 * @param band of the date before that is compared; null where it is not known
 */
export function withClassesFound(
  setup: ChangeSetup,
  band: BandInfo | null,
  { measure, first }: FoundOfPair,
): ChangeSetup {
  if (first) {
    return withFirstMap(setup, first);
  }
  const lossUp = measureOf(setup.measure).lossUp ?? false;
  return { ...setup, rules: gainLossRules(measure, lossUp, band?.role === "value") };
}
