import { node } from "../../graph/node";
import { isBurnRatio } from "./burnRatio";
import { type MeasurePart, takingStep } from "./measure";

/**
 * after − before, in the unit of the layers. The order is fixed. A cell that is nodata on either
 * date is nodata.
 */
export function differences(before: Float32Array, after: Float32Array, out: Float32Array): void {
  for (let i = 0, n = out.length; i < n; i++) {
    out[i] = after[i]! - before[i]!;
  }
}

/** How much more or less there is, in the unit of the bands. */
export const difference: MeasurePart<"difference"> = {
  key: "difference",
  onPower: {
    name: "Difference of decibels",
    help: "After − before, both in dB after the speckle filter. Below zero means darker after the event.",
  },
  onValues: {
    name: "Difference",
    help: "After − before. Below zero means less after the event.",
  },
  said: (_setup, decibel) => (decibel ? "difference of decibels" : "difference, after − before"),
  rank(band) {
    if (band.role === "power") {
      return 1;
    }
    return isBurnRatio(band) ? 2 : 0;
  },
  unit: null,
  graph: [
    takingStep(
      "change.difference",
      "Difference",
      "After − before, in the unit of the layers.",
      "difference",
      differences,
    ),
  ],
  node: ({ before, after }) => node("change.difference", {}, before.db, after.db),
  ofDifference: (value) => value,
  presets: ["water", "openWater", "greenness", "gainLoss"],
  fields: [],
};
