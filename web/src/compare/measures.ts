import { type Measure, anyWords, measureOf } from "@hindglance/core/change/measures/all";
import { quantile } from "@hindglance/core/raster/histogram";
import type { CompareHistograms } from "../api/types";

/** What a measure is called on a band: dNBR for the loss of NBR. */
export function measureName(m: Measure, band: string, isValue: boolean): string {
  const part = measureOf(m);
  const words = (isValue ? part.onValues : part.onPower) ?? anyWords(part);
  return part.nameOn?.(band) ?? words.name;
}

/** What a measure says, in a sentence or two; nothing on bands that it is not taken of. */
export function measureHelp(m: Measure, isValue: boolean): string {
  const part = measureOf(m);
  return (isValue ? part.onValues : part.onPower)?.help ?? "";
}

/**
 * End of the usual range of a measure, the same on both sides of nought, for pictures that show how
 * large the change is; 1 until it is counted.
 */
export const changeEnd = (compareHistograms: CompareHistograms | null | undefined): number =>
  compareHistograms
    ? Math.max(
        1e-6,
        Math.abs(quantile(compareHistograms.measure, 0.02)),
        Math.abs(quantile(compareHistograms.measure, 0.98)),
      )
    : 1;
