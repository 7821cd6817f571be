import { node } from "../../graph/node";
import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { isBurnRatio } from "./burnRatio";
import { type MeasurePart, takingStep, whenMeasure } from "./measure";

/** Before values nearer to zero than this give no relative change. */
export const LEAST_BEFORE = 1e-3;

/**
 * Change in parts of what was there, (after − before)/|before| · 100 in per cent: below zero means
 * less after. Nodata where before is nought (under 1e-3).
 */
export function relativeChanges(
  before: Float32Array,
  after: Float32Array,
  out: Float32Array,
): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    const size = Math.abs(b);
    out[i] = size > LEAST_BEFORE ? (100 * (after[i]! - b)) / size : NaN;
  }
}

/** A third of what was there, per cent. */
const THIRD = 33;

/** How much more or less there is, in parts of what was there. */
export const relativeChange: MeasurePart<"relativeChange"> = {
  key: "relativeChange",
  onPower: null,
  onValues: {
    name: "Relative change",
    help: "(After − before) ÷ |before|, in per cent of what was there. Below zero means less after the event.",
  },
  said: () => "relative change, (after − before) ÷ |before|",
  rank: (band) => (isBurnRatio(band) ? 3 : 1),
  unit: { unit: "%", decimals: 0, step: 1 },
  graph: [
    takingStep(
      "change.relativeChange",
      "Relative change",
      "(After − before) ÷ |before|, in per cent of what was there.",
      "relative change",
      relativeChanges,
      "%",
    ),
  ],
  node: ({ before, after }) => node("change.relativeChange", {}, before.db, after.db),
  rules: () => [
    whenMeasure(1, "Loss", LOSS_COLOR, "<", -THIRD),
    whenMeasure(2, "Gain", GAIN_COLOR, ">", THIRD),
  ],
  presets: ["openWater", "gainLoss"],
  fields: [],
};
