import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { requireRole } from "../../graph/steps/common";
import { WATER_COLORS } from "../colors";
import { type MeasurePart, takingStep, whenMeasure } from "./measure";

/** Decibels of before nearer to 0 than this give no quotient. */
const LEAST_DECIBEL = 1;
/**
 * Quotient of decibel values, after ÷ before: over 1 means darker where both are below 0 dB. It
 * depends on the reference level of the decibels and is not
 * defined near 0 dB; offered because practitioners use it. Nodata where before lies within 1 dB of
 * 0.
 */
export function decibelQuotients(
  before: Float32Array,
  after: Float32Array,
  out: Float32Array,
): void {
  for (let i = 0, n = out.length; i < n; i++) {
    const b = before[i]!;
    out[i] = Math.abs(b) >= LEAST_DECIBEL ? after[i]! / b : NaN;
  }
}

const TITLE = "Quotient of decibels";
const taking = takingStep(
  "change.decibelQuotient",
  TITLE,
  "After ÷ before of decibel values. Depends on the reference level of the decibels and is not defined near 0 dB.",
  "quotient",
  decibelQuotients,
  "",
);
const quotientStep: Step<Record<string, never>> = {
  ...taking,
  describe(inputs, params) {
    inputs.forEach((input) => requireRole(TITLE, input, ["decibel"], "it is taken of decibels."));
    return taking.describe(inputs, params);
  },
};

/** How many times the decibels of before those of after are. */
export const decibelQuotient: MeasurePart<"decibelQuotient"> = {
  key: "decibelQuotient",
  onPower: {
    name: TITLE,
    help: "After ÷ before, both in dB: over 1 means darker. It depends on the reference level of the decibels and has no meaning near 0 dB; the log ratio has neither weakness.",
  },
  onValues: null,
  said: () => "quotient of decibels, after ÷ before",
  rank: () => 2,
  unit: { unit: "", decimals: 2, step: 0.01 },
  graph: [quotientStep],
  node: ({ before, after }) => node("change.decibelQuotient", {}, before.db, after.db),
  rules: () => [
    whenMeasure(1, "Darker", WATER_COLORS.newWater, ">", 1.25),
    whenMeasure(2, "Brighter", WATER_COLORS.receded, "<", 0.8),
  ],
  presets: ["water"],
  fields: [],
};
