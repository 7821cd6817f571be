import { type Histogram, middleOf, quantile } from "../raster/histogram";
import { type Heaps, heapsAt, isBetweenHeaps } from "./firstMap/heaps";
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
  /** What the threshold has to show for itself. */
  heaps: Heaps;
  /** Whether the method looks for two heaps, and finds none where `heaps` are not. */
  parts: boolean;
}

/** How far out the suggestions by spread and by share lie. */
export interface HowFar {
  sigmas: number;
  percent: number;
}
/** A change under three times the spread is noise. */
export const USUAL_FAR: HowFar = { sigmas: 3, percent: 5 };
/**
 * Thresholds that published methods find in a histogram, for the dark side; methods that find none
 * are left out. Each comes with what it has to show for itself.
 * @param halves histograms of two halves of the same cells, where they are known
 */
export function suggestions(
  histogram: Histogram,
  far: HowFar = USUAL_FAR,
  halves: readonly Histogram[] = [],
): Suggestion[] {
  const { middle, spread } = middleOf(histogram);
  const [low, high] = otsuThree(histogram);
  const step = binWidth(histogram) * SMALL_BINS;
  const all: Omit<Suggestion, "heaps">[] = [
    {
      method: "minimumError",
      name: "Min. error",
      value: minimumError(histogram),
      parts: true,
      help: "Kittler & Illingworth 1986: two bell curves that describe the histogram best.",
    },
    {
      method: "otsu",
      name: "Otsu",
      value: otsu(histogram),
      parts: true,
      help: "Otsu 1979: the split with the largest variance between the two sides.",
    },
    {
      method: "twoSigma",
      name: `${far.sigmas} σ`,
      value: middle - far.sigmas * spread,
      upper: middle + far.sigmas * spread,
      parts: false,
      help: `${far.sigmas} standard deviations of the many from the median of the study area: what changed hardly counts.`,
    },
    {
      method: "otsuThree",
      name: "Otsu of 3",
      value: low,
      upper: high,
      parts: true,
      help: "Otsu 1979 with two thresholds: the outer one of the side in question.",
    },
    {
      method: "percentile",
      name: `${far.percent} %`,
      value: quantile(histogram, far.percent / 100),
      upper: quantile(histogram, 1 - far.percent / 100),
      parts: false,
      help: `The outermost ${far.percent} % of the cells of the study area.`,
    },
  ];
  return all
    .filter((suggestion) => Number.isFinite(suggestion.value))
    .map((suggestion) => ({
      ...suggestion,
      heaps: heapsAt(histogram, suggestion.value, step, halves),
      value: roundedIn(histogram, suggestion.value),
      ...(suggestion.upper !== undefined ? { upper: roundedIn(histogram, suggestion.upper) } : {}),
    }));
}

/** Suggestions that rest on something: those that look for two heaps only where they part some. */
export const supported = (all: readonly Suggestion[]): Suggestion[] =>
  all.filter(({ parts, heaps }) => !parts || isBetweenHeaps(heaps));

/** Bins that a threshold is moved by to see what hangs on it. */
const SMALL_BINS = 5;

const binWidth = ({ min, max, counts }: Histogram): number => (max - min) / counts.length;

/**
 * A threshold in as many decimals as the steps of its histogram have: rounding moves it by less
 * than a step, whatever the range of the layer.
 */
export const roundedIn = (histogram: Histogram, value: number): number => {
  const decimals = Math.max(0, Math.ceil(-Math.log10(binWidth(histogram)) - 1e-9));
  return Number(value.toFixed(Math.min(20, decimals)));
};

/**
 * Thresholds beyond which a value is unusual: three spreads from the median on either side; null
 * before the histogram is known.
 */
export const unusual = (histogram: Histogram | null): { low: number; high: number } | null => {
  const found = histogram && suggestions(histogram).find(({ method }) => method === "twoSigma");
  return found ? { low: found.value, high: found.upper ?? -found.value } : null;
};
