import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, none, requireOneGrid, requireRole } from "../../graph/steps/common";
import { realCells } from "../../raster/block";
import { inChunks } from "../../wasm/kernels";
import type { MeasurePart } from "./measure";

/**
 * Log ratio of two power images, 10·log10(after ÷ before) in dB: below zero means darker after the
 * event.
 * A cell that is nodata, zero or negative on either date is nodata.
 */
export function logRatios(before: Float32Array, after: Float32Array, out: Float32Array): void {
  inChunks([before, after], out, (kernels, [b, a], to, n) => kernels.logRatios(b!, a!, to, n));
}

const logRatioStep: Step<Record<string, never>> = {
  kind: "change.logRatio",
  version: 1,
  title: "Log ratio",
  help: "10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    requireOneGrid("Log ratio", inputs);
    inputs.forEach((input) =>
      requireRole("Log ratio", input, ["power"], "a ratio is taken of power, not of decibels."),
    );
    const info = inputs[0]!;
    const a = inputs[1]!;
    if (info.bands.length !== 1 || a.bands.length !== 1) {
      throw new InputError("Log ratio takes one band a date", "inputs");
    }
    if (info.bands[0]!.polarisation !== a.bands[0]!.polarisation) {
      throw new InputError(
        `Before is ${info.bands[0]!.polarisation ?? "of no known polarisation"}, after is ${a.bands[0]!.polarisation ?? "of none"}: a ratio of different polarisations says nothing about change`,
        "inputs",
        "Pick the same polarisation on both dates.",
      );
    }
    return {
      grid: info.grid,
      type: "float32",
      bands: [
        {
          name: "log ratio",
          unit: "dB",
          role: "change",
          polarisation: info.bands[0]!.polarisation,
        },
      ],
    };
  },
  reach: cellByCell,
  compute([block, a], out) {
    logRatios(realCells(block!.bands[0]!), realCells(a!.bands[0]!), realCells(out.bands[0]!));
  },
};

/** How many times brighter a place became, in decibels. */
export const logRatio: MeasurePart<"logRatio"> = {
  key: "logRatio",
  onPower: {
    name: "Log ratio",
    help: "10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.",
  },
  onValues: null,
  said: () => "log ratio",
  rank: () => 0,
  unit: null,
  graph: [logRatioStep],
  node: ({ before, after }) => node("change.logRatio", {}, before.power, after.power),
  ofDifference: (difference) => difference,
  presets: ["water"],
  fields: [],
};
