import * as yup from "yup";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, finite, floats, requireRole } from "../../graph/steps/common";
import { changeBand, requirePair } from "../../graph/steps/pair";
import { equalBackscatter } from "../../radar/equalPower";
import { realCells } from "../../raster/block";
import { LOSS_COLOR } from "../colors";
import { type MeasurePart, whenMeasure } from "./measure";

const NAME = "Equal backscatter";

/** How seldom unchanged ground differs as much by speckle alone. */
const equalPowerStep: Step<{ looks: number }> = {
  kind: "change.equalPower",
  version: 1,
  title: NAME,
  help: "Likelihood ratio of equal power under speckle (gamma distribution), of all polarisations together: −log₁₀ of the share of unchanged cells that differ as much.",
  inputs: { min: 2, max: 2 },
  params: yup.object({ looks: finite().min(0.5).max(1000) }).noUnknown(),
  describe(inputs) {
    inputs.forEach((input) =>
      requireRole(NAME, input, ["power"], "speckle is known of power, not of decibels."),
    );
    const { before } = requirePair(NAME, inputs);
    return changeBand(before, "equal backscatter", "");
  },
  reach: cellByCell,
  compute([before, after], out, { params, level }) {
    // Averaging independent cells adds up their looks.
    const looks = Math.min(1000, params.looks * 4 ** level);
    equalBackscatter(floats(before!), floats(after!), looks, realCells(out.bands[0]!));
  },
};

/** A test of equal backscatter under speckle. */
export const equalPower: MeasurePart<"equalPower"> = {
  key: "equalPower",
  onPower: {
    name: NAME,
    help: "How seldom unchanged ground differs as much by speckle alone, of all polarisations together: 2 is one cell in a hundred, 3 one in a thousand. It looks at the dates before the speckle filter.",
  },
  onValues: null,
  said: () => "test of equal backscatter",
  rank: () => 11,
  unit: { unit: "", decimals: 1, step: 0.1 },
  several: true,
  isChance: true,
  beforeFilter: true,
  graph: [equalPowerStep],
  node({ several }, { speckle }) {
    const { raw } = several("measure");
    return node("change.equalPower", { looks: speckle.looks }, raw.before, raw.after);
  },
  // One unchanged cell in a thousand.
  rules: () => [whenMeasure(1, "Change", LOSS_COLOR, ">=", 3)],
  presets: ["water"],
  fields: [],
};
