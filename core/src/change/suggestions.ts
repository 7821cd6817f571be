import { type Histogram, momentsOf, quantile } from "../raster/histogram";
import { minimumError } from "./minimumError";
import { otsu, otsuThree } from "./otsu";

export type SuggestionMethod =
  "otsu" | "minimumError" | "twoSigma" | "otsuThree" | "percentile" | "tiles";
/** `upper`: what the method finds for the high side, where the two sides differ. */
export interface Suggestion {
  method: SuggestionMethod;
  name: string;
  value: number;
  upper?: number;
  help: string;
}

/** How far out the suggestions by spread and by share lie. */
export interface HowFar {
  sigmas: number;
  percent: number;
}
export const USUAL_FAR: HowFar = { sigmas: 2, percent: 5 };
/**
 * Thresholds that published methods find in a histogram, for the dark side; methods that find none
 * are left out.
 */
export function suggestions(histogram: Histogram, far: HowFar = USUAL_FAR): Suggestion[] {
  const { mean, deviation } = momentsOf(histogram);
  const [low, high] = otsuThree(histogram);
  const all: Suggestion[] = [
    {
      method: "minimumError",
      name: "Min. error",
      value: minimumError(histogram),
      help: "Kittler & Illingworth 1986: two bell curves that describe the histogram best.",
    },
    {
      method: "otsu",
      name: "Otsu",
      value: otsu(histogram),
      help: "Otsu 1979: the split with the largest variance between the two sides.",
    },
    {
      method: "twoSigma",
      name: `${far.sigmas} σ`,
      value: mean - far.sigmas * deviation,
      upper: mean + far.sigmas * deviation,
      help: `${far.sigmas} standard deviations from the mean of the study area.`,
    },
    {
      method: "otsuThree",
      name: "Otsu of 3",
      value: low,
      upper: high,
      help: "Otsu 1979 with two thresholds: the outer one of the side in question.",
    },
    {
      method: "percentile",
      name: `${far.percent} %`,
      value: quantile(histogram, far.percent / 100),
      upper: quantile(histogram, 1 - far.percent / 100),
      help: `The outermost ${far.percent} % of the cells of the study area.`,
    },
  ];
  return all
    .filter((suggestion) => Number.isFinite(suggestion.value))
    .map((suggestion) => ({
      ...suggestion,
      value: roundedIn(histogram, suggestion.value),
      ...(suggestion.upper !== undefined ? { upper: roundedIn(histogram, suggestion.upper) } : {}),
    }));
}

/**
 * A threshold in as many decimals as its layer is read with: a tenth of a decibel, a hundredth of
 * an index.
 */
export const roundedIn = (histogram: Histogram, value: number): number => {
  const k = histogram.max - histogram.min > 12 ? 10 : 100;
  return Math.round(value * k) / k;
};

/**
 * Thresholds beyond which a value is unusual: two deviations from the mean on either side; null
 * before the histogram is known.
 */
export const unusual = (histogram: Histogram | null): { low: number; high: number } | null => {
  const found = histogram && suggestions(histogram).find(({ method }) => method === "twoSigma");
  return found ? { low: found.value, high: found.upper ?? -found.value } : null;
};
