import { useMemo } from "react";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type ChangeSetup } from "@hindglance/core/change/setup";
import { mergeHistograms, quantile } from "@hindglance/core/raster/histogram";
import type { CompareHistograms } from "../api/types";
import { changeEnd, measureName } from "./measures";
import { DECIBEL, plainUnit, withMeasure } from "./units";
import type { ComparisonOnScreen } from "./useComparison";
import { comparingOf } from "@hindglance/core/change/comparing";

/** Ends of the grey levels of both dates: where nearly all of their cells lie. */
function endsOf(histograms: CompareHistograms | undefined, isValue: boolean): [number, number] {
  if (!histograms) {
    return [-24, -2];
  }
  const both = mergeHistograms(histograms.before, histograms.after);
  const [lo, hi] = [quantile(both, 0.01), quantile(both, 0.995)].map((end) =>
    isValue ? end : Math.round(end),
  );
  return [Number.isFinite(lo) ? lo! : -24, Number.isFinite(hi) ? hi! : -2];
}

/** Whether a band is compared as the number that it is, and not as radar power. */
export function isValueBand(band: BandInfo | undefined): boolean {
  const comparing = band ? comparingOf(band) : null;
  return comparing === "value" || comparing === "class";
}

/** Units of the layers of a setup, which need not be drawn yet. */
export function unitsOf({ band: index, measure }: ChangeSetup, bands: readonly BandInfo[]) {
  const band = bands[index];
  return withMeasure(isValueBand(band) ? plainUnit(band?.unit ?? "") : DECIBEL, measure);
}

/** How a comparison is drawn and written: band, units, grey levels, the measure's name and range. */
export function useLook({ bands, drawnSetup, histograms }: ComparisonOnScreen) {
  const setup: ChangeSetup | null = drawnSetup;
  const band = setup ? bands[setup.band] : undefined;
  const isValue = isValueBand(band);
  const [lo, hi] = endsOf(histograms.last, isValue);
  const stretch = useMemo(
    () => ({ lo, hi: Math.max(lo + (isValue ? 1e-3 : 1), hi) }),
    [lo, hi, isValue],
  );
  const measure = setup?.measure ?? "logRatio";
  return {
    stretch,
    unit: setup ? unitsOf(setup, bands) : DECIBEL,
    bandName: band?.name ?? "",
    measureName: measureName(measure, band?.name ?? "", isValue),
    changeEnd: changeEnd(histograms.last),
  };
}
