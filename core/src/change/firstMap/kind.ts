import type { BandInfo } from "../../graph/image";
import { comparingOf } from "../comparing";
import { type Measure, measureOf, sharesThresholds } from "../measures/all";

/** What a first map is of. */
export type FirstMapKind = "water" | "burn" | "openWater" | "gainLoss";

/**
 * What a first map of a band is of: water where radar power is measured by a change in decibels, a
 * burn where the loss of a burn ratio is, water by a water index, gain and loss of any other number
 * that is subtracted; null where none is made.
 */
export function firstMapKind(band: BandInfo, measure: Measure): FirstMapKind | null {
  if (comparingOf(band) === "power") {
    return sharesThresholds(measureOf(measure), measureOf("logRatio")) ? "water" : null;
  }
  if (measure !== "indexLoss" && measure !== "difference") {
    return null;
  }
  if (/nbr/i.test(band.name)) {
    return measure === "indexLoss" ? "burn" : null;
  }
  return /ndwi/i.test(band.name) ? "openWater" : "gainLoss";
}
