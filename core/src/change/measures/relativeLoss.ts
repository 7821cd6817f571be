import { node } from "../../graph/node";
import { isBurnRatio } from "./burnRatio";
import { type MeasurePart, takingStep } from "./measure";
import { LEAST_BEFORE } from "./relativeChange";

/**
 * Loss of an index beside what was there: (before − after)/√|before|, RdNBR for NBR. Nodata where
 * before is nought. Source: Miller & Thode 2007.
 */
export function relativeLosses(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    const size = Math.abs(b);
    out[i] = size > LEAST_BEFORE ? (b - after[i]!) / Math.sqrt(size) : NaN;
  }
}

/** How much of an index was lost beside what was there. */
export const relativeLoss: MeasurePart<"relativeLoss"> = {
  key: "relativeLoss",
  onPower: null,
  onValues: {
    name: "Relative loss",
    help: "(Before − after) ÷ √|before|, as RdNBR: sparse ground counts as much as dense.",
  },
  nameOn: (band) => (/^nbr$/i.test(band) ? "RdNBR" : null),
  said: () => "relative index loss, (before − after) ÷ √|before|",
  rank: (band) => (isBurnRatio(band) ? 1 : 3),
  unit: null,
  graph: [
    takingStep(
      "change.relativeLoss",
      "Relative index loss",
      "(Before − after) ÷ √|before|: RdNBR for NBR, so that sparse ground counts as much as dense.",
      "relative loss",
      relativeLosses,
    ),
  ],
  node: ({ before, after }) => node("change.relativeLoss", {}, before.db, after.db),
  lossUp: true,
  presets: ["openWater", "gainLoss"],
  fields: [],
};
