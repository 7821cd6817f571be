import type { Measure } from "@hindglance/core/change/setup";
import { quantile } from "@hindglance/core/raster/histogram";
import type { CompareHistograms } from "../api/types";

/** What a measure is called on power and on values, and what it says. */
const MEASURE: Record<Measure, { name: string; value: string; help: string; valueHelp: string }> = {
  logRatio: {
    name: "Log ratio",
    value: "Log ratio",
    help: "10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.",
    valueHelp: "",
  },
  difference: {
    name: "Difference of decibels",
    value: "Difference",
    help: "After − before, both in dB after the speckle filter. Below zero means darker after the event.",
    valueHelp: "After − before. Below zero means less after the event.",
  },
  indexLoss: {
    name: "Index loss",
    value: "Index loss",
    help: "",
    valueHelp: "Before − after, the convention of dNBR. Above zero means lost or burned.",
  },
  relativeChange: {
    name: "Relative change",
    value: "Relative change",
    help: "",
    valueHelp:
      "(After − before) ÷ |before|, in per cent of what was there. Below zero means less after the event.",
  },
  decibelQuotient: {
    name: "Quotient of decibels",
    value: "Quotient",
    help: "After ÷ before, both in dB: over 1 means darker. It depends on the reference level of the decibels and has no meaning near 0 dB; the log ratio has neither weakness.",
    valueHelp: "",
  },
  relativeLoss: {
    name: "Relative loss",
    value: "Relative loss",
    help: "",
    valueHelp: "(Before − after) ÷ √|before|, as RdNBR: sparse ground counts as much as dense.",
  },
  changeVector: {
    name: "Change vector",
    value: "Change vector",
    help: "How far all bands together moved from before to after, in dB: √Σ(after − before)². It has no sign.",
    valueHelp:
      "How far all bands together moved from before to after: √Σ(after − before)². It has no sign.",
  },
  changeDirection: {
    name: "Direction of change",
    value: "Direction of change",
    help: "Which way two bands moved from before to after: 0° the first grew, 90° the second grew, 180° the first fell.",
    valueHelp:
      "Which way two bands moved from before to after: 0° the first grew, 90° the second grew, 180° the first fell.",
  },
  noChange: {
    name: "No-change probability",
    value: "No-change probability",
    help: "How likely it is by all bands together that a cell is as it was before. Near 0 % is change.",
    valueHelp:
      "How likely it is by all bands together that a cell is as it was before. Near 0 % is change; light and air common to the scene do not count.",
  },
  formula: {
    name: "Formula",
    value: "Formula",
    help: "Your own arithmetic over before.NAME and after.NAME; radar bands in dB.",
    valueHelp: "Your own arithmetic over before.NAME and after.NAME.",
  },
};
/** What a measure is called on a band: dNBR for the loss of NBR. */
export const measureName = (m: Measure, band: string, value: boolean): string => {
  if (m === "indexLoss" && /^nbr$/i.test(band)) {
    return "dNBR, before − after";
  }
  if (m === "relativeLoss" && /^nbr$/i.test(band)) {
    return "RdNBR";
  }
  if (value) {
    return MEASURE[m].value;
  }
  return MEASURE[m].name;
};

/** What a measure says, in a sentence or two. */
export const measureHelp = (m: Measure, value: boolean): string =>
  value ? MEASURE[m].valueHelp : MEASURE[m].help;
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
