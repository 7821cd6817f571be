import { node } from "../../graph/node";
import { isBurnRatio } from "./burnRatio";
import { type MeasurePart, takingStep } from "./measure";

/**
 * Loss of an index, before − after: dNBR by its convention, above zero where something burned or
 * was lost. A cell that is nodata on either date is nodata.
 * Source: Key & Benson 2006.
 */
export function losses(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    out[i] = before[i]! - after[i]!;
  }
}

/** How much of an index was lost. */
export const indexLoss: MeasurePart<"indexLoss"> = {
  key: "indexLoss",
  onPower: null,
  onValues: {
    name: "Index loss",
    help: "Before − after, the convention of dNBR. Above zero means lost or burned.",
  },
  nameOn: (band) => (/^nbr$/i.test(band) ? "dNBR, before − after" : null),
  said: () => "index loss, before − after",
  rank: (band) => (isBurnRatio(band) ? 0 : 2),
  unit: null,
  graph: [
    takingStep(
      "change.indexLoss",
      "Index loss",
      "Before − after: dNBR by its convention, above zero where something burned.",
      "loss",
      losses,
    ),
  ],
  node: ({ before, after }) => node("change.indexLoss", {}, before.db, after.db),
  lossUp: true,
  ofDifference: (difference) => -difference,
  presets: ["openWater", "severity", "greenness", "gainLoss"],
  fields: [],
};
