import type { Histogram } from "../raster/histogram";
import { GAIN_COLOR, LOSS_COLOR, WATER_COLORS } from "./colors";
import type { ClassRule, Layer, Operator } from "./rules";
import { unusual } from "./suggestions";

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
export const severityRules = (): ClassRule[] => {
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
export const openWaterRules = (): ClassRule[] => {
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
      color: WATER_COLORS.standing,
      all: [c("before", ">", 0), c("after", ">", 0)],
    },
    {
      label: 3,
      name: "Receded water",
      color: WATER_COLORS.receded,
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
export const greennessRules = (lossUp: boolean, at = GREENNESS_BREAK): ClassRule[] => [
  {
    label: 1,
    name: "Loss",
    color: LOSS_COLOR,
    all: [{ layer: "measure", op: lossUp ? ">" : "<", value: lossUp ? at : -at }],
  },
  {
    label: 2,
    name: "Gain",
    color: GAIN_COLOR,
    all: [{ layer: "measure", op: lossUp ? "<" : ">", value: lossUp ? -at : at }],
  },
];
/**
 * Gain and loss beyond a break point; of an index 0.2, of anything else three times the spread of the
 * change. `lossUp`: loss counts upwards, as dNBR does.
 */
export function gainLossRules(
  histogram: Histogram | null,
  lossUp: boolean,
  index: boolean,
): ClassRule[] {
  const at = index ? 0.2 : Math.abs(unusual(histogram)?.low ?? 0.1) || 0.1;
  const up = { layer: "measure" as const, op: ">" as const, value: at };
  const down = { layer: "measure" as const, op: "<" as const, value: -at };
  return [
    { label: 1, name: "Loss", color: LOSS_COLOR, all: [lossUp ? up : down] },
    { label: 2, name: "Gain", color: GAIN_COLOR, all: [lossUp ? down : up] },
  ];
}
