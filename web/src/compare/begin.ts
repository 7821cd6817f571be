import { emptySetup, emptyValueSetup } from "@hindglance/core/change/defaults";
import { type ChangeSetup } from "@hindglance/core/change/setup";
import type { CompareHistograms, Side, Study } from "../api/types";
import { withClassesFound } from "@hindglance/core/change/classesFound";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";

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

/** Settings with classes from the pair itself. */
export const settledBy = (
  setup: ChangeSetup,
  side: Side | null,
  { histograms, first }: Counted,
): ChangeSetup =>
  withClassesFound(setup, side?.info?.bands[setup.band] ?? null, {
    measure: histograms.measure,
    first,
  });
