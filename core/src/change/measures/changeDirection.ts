import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, floats, none } from "../../graph/steps/common";
import { changeBand, requirePair } from "../../graph/steps/pair";
import { realCells } from "../../raster/block";
import { likeBands } from "../bands";
import { GAIN_COLOR, LOSS_COLOR, WATER_COLORS } from "../colors";
import { changeDirection as directions } from "../vector";
import { type MeasurePart, whenMeasure } from "./measure";

const TITLE = "Direction of change";
const HELP =
  "Which way two bands moved from before to after: 0° the first grew, 90° the second grew, 180° the first fell.";

const changeDirectionStep: Step<Record<string, never>> = {
  kind: "change.direction",
  version: 1,
  title: TITLE,
  help: "Which way two bands have moved, in degrees: 0 the first grew, 90 the second grew, 180 the first fell.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair(TITLE, inputs);
    if (before.bands.length !== 2) {
      throw new InputError(
        `The direction is taken in the plane of two bands, not of ${before.bands.length}`,
        "bands",
        "Pick two bands.",
      );
    }
    return changeBand(before, "direction", "°");
  },
  reach: cellByCell,
  compute([block, a], out) {
    const x = floats(block!);
    const y = floats(a!);
    directions([x[0]!, x[1]!], [y[0]!, y[1]!], realCells(out.bands[0]!));
  },
};

/** Which way two bands moved. */
export const changeDirection: MeasurePart<"changeDirection"> = {
  key: "changeDirection",
  onPower: { name: TITLE, help: HELP },
  onValues: { name: TITLE, help: HELP },
  said: () => "direction of the change",
  rank: () => 11,
  unit: { unit: "°", decimals: 0, step: 5 },
  several: true,
  bandsWanted: 2,
  graph: [changeDirectionStep],
  node({ several }) {
    const { before, after } = several("measure");
    return node("change.direction", {}, before, after);
  },
  rules: () => [
    whenMeasure(1, "Both more", GAIN_COLOR, "<", 90),
    whenMeasure(2, "First less, second more", WATER_COLORS.receded, "<", 180),
    whenMeasure(3, "Both less", LOSS_COLOR, "<", 270),
    whenMeasure(4, "First more, second less", WATER_COLORS.standing, ">=", 270),
  ],
  circular: true,
  presets: ["water", "openWater"],
  begin: (setup, bands) =>
    setup.bands?.length === 2 ? {} : { bands: likeBands(bands, setup.band).slice(0, 2) },
  fields: [],
};
