import * as yup from "yup";
import { weightedMode } from "../../classify/weightedMode";
import { InputError } from "../../errors";
import { CLASS_NODATA, labelCells, realCells } from "../../raster/block";
import { grow } from "../../grid/grid";
import type { Step } from "../step";
import { requireOneGrid } from "./common";

/**
 * Labels of a window weighted by probability: each cell takes the class whose probabilities have the
 * greatest sum around it. Cells of no class, and those without data, stay. Inputs: labels, and the
 * probabilities of their classes, a band each in the order of the classes.
 */
export const weightedModeStep: Step<{ windowCells: number }> = {
  kind: "classify.weightedMode",
  version: 1,
  title: "Window by probability",
  help: "The class that is likeliest in a window around each cell.",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({
      windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(),
    })
    .noUnknown(),
  describe(inputs) {
    requireOneGrid("Window by probability", inputs);
    const [labels, probabilities] = inputs;
    if (labels!.classes?.length !== probabilities!.bands.length) {
      throw new InputError("A window by probability needs a probability of every class", "inputs");
    }
    return labels!;
  },
  reach: (window, { level, params: { windowCells } }) => [
    { window, level },
    { window: grow(window, (windowCells - 1) / 2), level },
  ],
  compute([labels, probabilities], out, { params: { windowCells }, output }) {
    const own = labelCells(labels!.bands[0]!);
    const to = labelCells(out.bands[0]!);
    const { width, height } = out.window;
    weightedMode(probabilities!.bands.map(realCells), { width, height, windowCells }, to);
    const classes = output.classes!;
    for (let i = 0; i < to.length; i++) {
      const isKept = own[i] === CLASS_NODATA || own[i] === 0;
      to[i] = isKept ? own[i]! : classes[to[i]!]!.label;
    }
  },
};
