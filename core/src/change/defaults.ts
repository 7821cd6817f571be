import { type Histogram, momentsOf, quantile } from "../raster/histogram";
import { minimumError } from "./minimumError";
import { otsu, otsuThree } from "./otsu";
import type { BandInfo } from "../graph/image";
import { type ChangeSetup, type Measure, comparingOf, measuresOf } from "./setup";
import type { Layer, Operator } from "./rules";

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

export interface PairHistograms {
  before: Histogram;
  after: Histogram;
  measure: Histogram;
}

/** Colours of the three water classes. */
export const WATER_COLORS = {
  newWater: "#c8246f",
  standingWater: "#33498c",
  recededWater: "#c29a1b",
} as const;

const FALLBACK: Record<"before" | "after" | "measure", number> = {
  before: -17,
  after: -17,
  measure: -3,
};
const best = (histogram: Histogram, layer: "before" | "after" | "measure") =>
  suggestions(histogram)[0]?.value ?? FALLBACK[layer];

/**
 * Settings to begin with, before anything is known of the pair. Thresholds come with initialRules.
 */
export function emptySetup(facts: {
  looks: number | null;
  hasStudyArea: boolean;
  hasElevation: boolean;
}): ChangeSetup {
  return {
    band: 0,
    speckle: {
      filter: "refinedLee",
      windowCells: 7,
      looks: Math.round(Math.max(1, Math.min(1000, facts.looks ?? 4.4)) * 10) / 10,
    },
    measure: "logRatio",
    rules: rulesFor(FALLBACK),
    limits: {
      studyArea: facts.hasStudyArea,
      seenMarginCells: 3,
      maxSlopeDeg: facts.hasElevation ? 5 : null,
      minPatchCells: 12,
      neighbours: 8,
    },
  };
}

/** The three water classes with thresholds from the histograms of the pair. */
export const initialRules = (pairHistograms: PairHistograms): ChangeSetup["rules"] =>
  rulesFor({
    before: best(pairHistograms.before, "before"),
    after: best(pairHistograms.after, "after"),
    measure: best(pairHistograms.measure, "measure"),
  });

/** What a comparison begins with: a kind of change with rules that can be changed. */
export interface Preset {
  id: "water" | "openWater" | "severity" | "greenness" | "gainLoss";
  name: string;
  help: string;
}
export const PRESETS: readonly Preset[] = [
  {
    id: "water",
    name: "Flood on radar",
    help: "New, standing and receded water by power and its change; thresholds from the histograms.",
  },
  {
    id: "openWater",
    name: "Flood on optical",
    help: "New, standing and receded water by a water index: over 0 is water (McFeeters 1996, Xu 2006).",
  },
  {
    id: "severity",
    name: "Burn severity",
    help: "dNBR between the breaks of Key & Benson 2006, where plants grew before.",
  },
  {
    id: "greenness",
    name: "Greenness gain and loss",
    help: "More than 0.4 of the index gained or lost.",
  },
  {
    id: "gainLoss",
    name: "Gain and loss",
    help: "A change beyond break points on either side; what lies between is unchanged.",
  },
];

/**
 * Breaks of dNBR between severities, and the NBR under which nothing grew that could burn. Source:
 * Key & Benson 2006.
 */
export const SEVERITY_BREAKS = {
  regrowth: -0.1,
  low: 0.1,
  moderateLow: 0.27,
  moderateHigh: 0.44,
  high: 0.66,
  grown: 0.1,
} as const;

/** Classes of burn severity by the breaks of Key & Benson 2006 on dNBR. */
export const severityRules = (): ChangeSetup["rules"] => {
  const s = SEVERITY_BREAKS;
  const c = (op: ">=" | "<", value: number) => [
    { layer: "measure" as const, op, value },
    { layer: "before" as const, op: ">=" as const, value: s.grown },
  ];
  return [
    { label: 1, name: "High severity", color: "#6e1f3a", all: c(">=", s.high) },
    { label: 2, name: "Moderate to high severity", color: "#b8562f", all: c(">=", s.moderateHigh) },
    { label: 3, name: "Moderate to low severity", color: "#e09f5a", all: c(">=", s.moderateLow) },
    { label: 4, name: "Low severity", color: "#f2d9b8", all: c(">=", s.low) },
    {
      label: 5,
      name: "Regrowth",
      color: "#7fa65a",
      all: [{ layer: "measure", op: "<", value: s.regrowth }],
    },
  ];
};
/** Water where a water index is over nought. Source: McFeeters 1996 (NDWI), Xu 2006 (MNDWI). */
export const openWaterRules = (): ChangeSetup["rules"] => {
  const c = (layer: Layer, op: Operator, value: number) => ({ layer, op, value });
  return [
    {
      label: 1,
      name: "New water",
      color: WATER_COLORS.newWater,
      all: [c("before", "<=", 0), c("after", ">", 0)],
    },
    {
      label: 2,
      name: "Standing water",
      color: WATER_COLORS.standingWater,
      all: [c("before", ">", 0), c("after", ">", 0)],
    },
    {
      label: 3,
      name: "Receded water",
      color: WATER_COLORS.recededWater,
      all: [c("before", ">", 0), c("after", "<=", 0)],
    },
  ];
};
/** Break points of greenness on either side of nought. */
export const GREENNESS_BREAK = 0.4;
/**
 * Greenness gained or lost beyond the break points; what lies between is unchanged. `lossUp`: the
 * measure counts loss upwards.
 */
export const greennessRules = (lossUp: boolean, at = GREENNESS_BREAK): ChangeSetup["rules"] => [
  {
    label: 1,
    name: "Loss",
    color: "#b85c1e",
    all: [{ layer: "measure", op: lossUp ? ">" : "<", value: lossUp ? at : -at }],
  },
  {
    label: 2,
    name: "Gain",
    color: "#2a8f84",
    all: [{ layer: "measure", op: lossUp ? "<" : ">", value: lossUp ? -at : at }],
  },
];
/**
 * Gain and loss beyond a break point; of an index 0.2, of anything else twice the spread of the
 * change. `lossUp`: loss counts upwards, as dNBR does.
 */
export function gainLossRules(
  histogram: Histogram | null,
  lossUp: boolean,
  index: boolean,
): ChangeSetup["rules"] {
  const sigma = histogram
    ? suggestions(histogram).find((suggestion) => suggestion.method === "twoSigma")?.value
    : undefined;
  const at = index ? 0.2 : Math.abs(sigma ?? 0.1) || 0.1;
  const up = { layer: "measure" as const, op: ">" as const, value: at };
  const down = { layer: "measure" as const, op: "<" as const, value: -at };
  return [
    { label: 1, name: "Loss", color: "#b85c1e", all: [lossUp ? up : down] },
    { label: 2, name: "Gain", color: "#2a8f84", all: [lossUp ? down : up] },
  ];
}

/**
 * Rules to begin with for a measure in a unit of its own: a third less or more; an eighth of the
 * decibels; one chance in twenty; quarters of the circle. @param h histogram of the measure, where
 * it is known already
 */
export function rulesOfMeasure(
  m: Measure,
  histogram: Histogram | null = null,
): ChangeSetup["rules"] | null {
  const when = (op: Operator, value: number) => ({ layer: "measure" as const, op, value });
  const rule = (label: number, name: string, color: string, ...all: ReturnType<typeof when>[]) => ({
    label,
    name,
    color,
    all,
  });
  const sigma = histogram
    ? suggestions(histogram).find((suggestion) => suggestion.method === "twoSigma")
    : undefined;
  switch (m) {
    case "relativeChange":
      return [
        rule(1, "Loss", "#b85c1e", when("<", -33)),
        rule(2, "Gain", "#2a8f84", when(">", 33)),
      ];
    case "decibelQuotient":
      return [
        rule(1, "Darker", WATER_COLORS.newWater, when(">", 1.25)),
        rule(2, "Brighter", WATER_COLORS.recededWater, when("<", 0.8)),
      ];
    case "changeVector":
      return [rule(1, "Change", "#b85c1e", when(">", sigma?.upper ?? 0.2))];
    case "noChange":
      return [rule(1, "Change", "#b85c1e", when("<", 5))];
    case "changeDirection":
      return [
        rule(1, "Both more", "#2a8f84", when("<", 90)),
        rule(2, "First less, second more", "#c29a1b", when("<", 180)),
        rule(3, "Both less", "#b85c1e", when("<", 270)),
        rule(4, "First more, second less", "#33498c", when(">=", 270)),
      ];
    case "formula":
      return [
        rule(1, "Low", "#b85c1e", when("<", sigma?.value ?? -0.1)),
        rule(2, "High", "#2a8f84", when(">", sigma?.upper ?? 0.1)),
      ];
    default:
      return null;
  }
}
/** Measures whose thresholds come from their own histogram. */
export const BY_HISTOGRAM: readonly Measure[] = ["changeVector", "formula"];

/**
 * Settings to begin with for a pair of bands that are compared as they are: the index of the
 * study's hazard where there is one.
 */
export function emptyValueSetup(
  bands: readonly BandInfo[],
  facts: { hazard: string; hasStudyArea: boolean },
): ChangeSetup {
  let wanted: RegExp;
  if (facts.hazard === "fire") {
    wanted = /^nbr$/i;
  } else if (facts.hazard === "flood") {
    wanted = /^mndwi$|^ndwi$/i;
  } else {
    wanted = /^ndvi$|^evi$|^savi$/i;
  }
  const values = bands.map((b, k) => [b, k] as const).filter(([b]) => comparingOf(b) === "value");
  const band =
    values.find(([b]) => wanted.test(b.name))?.[1] ??
    values.find(([b]) => b.role === "value")?.[1] ??
    values[0]?.[1] ??
    0;
  const b = bands[band];
  const measure = b ? measuresOf(b)[0]! : "difference";
  return {
    ...emptySetup({ looks: null, hasStudyArea: facts.hasStudyArea, hasElevation: false }),
    band,
    measure,
    speckle: { filter: "none", windowCells: 7, looks: 1 },
    rules:
      measure === "indexLoss" ? severityRules() : gainLossRules(null, false, b?.role === "value"),
  };
}

function rulesFor(t: Record<"before" | "after" | "measure", number>): ChangeSetup["rules"] {
  const c = (layer: Layer, op: "<" | ">", value: number) => ({ layer, op, value });
  return [
    {
      label: 1,
      name: "New water",
      color: WATER_COLORS.newWater,
      all: [c("measure", "<", t.measure), c("after", "<", t.after)],
    },
    {
      label: 2,
      name: "Standing water",
      color: WATER_COLORS.standingWater,
      all: [c("before", "<", t.before), c("after", "<", t.after)],
    },
    {
      label: 3,
      name: "Receded water",
      color: WATER_COLORS.recededWater,
      all: [c("measure", ">", Math.abs(t.measure)), c("before", "<", t.before)],
    },
  ];
}
