import { emptySetup, emptyValueSetup } from "@hindglance/core/change/defaults";
import { type ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareHistograms, Side, Study } from "../api/types";
import { type FirstMap, withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { measureOf } from "@hindglance/core/change/measures/all";
import { gainLossRules } from "@hindglance/core/change/presets";

/** Settings that a comparison begins with, by what its before side holds. */
export const startOf = (side: Side, study: Study, hasElevation: boolean): ChangeSetup =>
  side.info!.bands.some((band) => band.role === "power")
    ? emptySetup({ looks: side.looks, hasStudyArea: !!study.studyArea, hasElevation })
    : emptyValueSetup(side.info!.bands, { hazard: study.hazard, hasStudyArea: !!study.studyArea });

/** What was found of a pair: its histograms and, of radar power, its first map. */
export interface Counted {
  histograms: CompareHistograms;
  first: FirstMap | null;
}

/**
 * Settings with classes from the pair itself: those of its first map; where none is made, what is
 * unusual.
 */
export function settledBy(
  setup: ChangeSetup,
  side: Side | null,
  { histograms, first }: Counted,
): ChangeSetup {
  if (first) {
    return withFirstMap(setup, first);
  }
  const band = side?.info?.bands[setup.band];
  const lossUp = measureOf(setup.measure).lossUp ?? false;
  return { ...setup, rules: gainLossRules(histograms.measure, lossUp, band?.role === "value") };
}
