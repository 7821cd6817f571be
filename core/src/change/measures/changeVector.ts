import { InputError } from "../../errors";
import type { ImageInfo } from "../../graph/image";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, floats, none } from "../../graph/steps/common";
import { changeBand, requirePair } from "../../graph/steps/pair";
import { realCells } from "../../raster/block";
import { LOSS_COLOR } from "../colors";
import { unusual } from "../suggestions";
import { changeVector as vectorLength } from "../vector";
import { type MeasurePart, whenMeasure } from "./measure";

const TITLE = "Change vector";

/** @throws InputError unless all bands have one unit, which it gives */
function commonUnit({ bands }: ImageInfo): string {
  const { unit, role } = bands[0]!;
  const other = bands.find((band) => band.unit !== unit);
  if (other) {
    throw new InputError(
      `${TITLE} takes bands of one unit, not ${unit || role} with ${other.unit || other.role}`,
      "bands",
    );
  }
  return unit;
}

const changeVectorStep: Step<Record<string, never>> = {
  kind: "change.vector",
  version: 1,
  title: TITLE,
  help: "How far all bands together have moved: √Σ(after − before)². Never below zero.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair(TITLE, inputs);
    return changeBand(before, "change vector", commonUnit(before));
  },
  reach: cellByCell,
  compute([block, a], out) {
    vectorLength(floats(block!), floats(a!), realCells(out.bands[0]!));
  },
};

/** How far all bands together moved. */
export const changeVector: MeasurePart<"changeVector"> = {
  key: "changeVector",
  onPower: {
    name: TITLE,
    help: "How far all bands together moved from before to after, in dB: √Σ(after − before)². It has no sign.",
  },
  onValues: {
    name: TITLE,
    help: "How far all bands together moved from before to after: √Σ(after − before)². It has no sign.",
  },
  said: () => "length of the change vector",
  rank: () => 10,
  unit: null,
  several: true,
  graph: [changeVectorStep],
  node({ several }) {
    const { before, after } = several("measure");
    return node("change.vector", {}, before, after);
  },
  rules: (histogram) => [
    whenMeasure(1, "Change", LOSS_COLOR, ">", unusual(histogram)?.high ?? 0.2),
  ],
  byHistogram: true,
  presets: ["water", "openWater", "gainLoss"],
  fields: [],
};
