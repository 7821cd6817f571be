import { emptySetup, emptyValueSetup, initialRules } from "@hindglance/core/change/defaults";
import { type ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareHistograms, Side, Study } from "../api/types";
import { comparingOf } from "@hindglance/core/change/comparing";
import { gainLossRules, severityRules } from "@hindglance/core/change/presets";

/** Settings that a comparison begins with, by what its before side holds. */
export const startOf = (side: Side, study: Study, hasElevation: boolean): ChangeSetup =>
  side.info!.bands.some((band) => band.role === "power")
    ? emptySetup({ looks: side.looks, hasStudyArea: !!study.studyArea, hasElevation })
    : emptyValueSetup(side.info!.bands, { hazard: study.hazard, hasStudyArea: !!study.studyArea });

/** Rules with thresholds from the pair's own histograms; the loss of NBR has published breaks. */
export function rulesFrom(
  setup: ChangeSetup,
  side: Side | null,
  histograms: CompareHistograms,
): ChangeSetup["rules"] {
  const band = side?.info?.bands[setup.band];
  if (!band || comparingOf(band) !== "value") {
    return initialRules(histograms);
  }
  return setup.measure === "indexLoss" && /nbr/i.test(band.name)
    ? severityRules()
    : gainLossRules(histograms.measure, setup.measure !== "difference", band.role === "value");
}
