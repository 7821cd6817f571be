import * as yup from "yup";
import { type CoverClass, coverClassesSchema, placesOf } from "../../cover/coverClass";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, requireOneGrid } from "../../graph/steps/common";
import { labelCells, realCells } from "../../raster/block";
import type { MeasurePart } from "./measure";

/**
 * 1 where two classified dates have cells in classes that do not mean the same, 0 where they do; nodata
 * where one of them has no class that is paired. Means over ground are the share of it that changed.
 * Inputs: before, after.
 */
const otherClassStep: Step<{ classes: CoverClass[] }> = {
  kind: "change.otherClass",
  version: 1,
  title: "Other class",
  help: "1 where the class after is another one than before, else 0.",
  inputs: { min: 2, max: 2 },
  params: yup.object({ classes: coverClassesSchema }).noUnknown(),
  describe(inputs) {
    requireOneGrid("Other class", inputs);
    if (inputs.some(({ type }) => type !== "class8")) {
      throw new InputError("Other class needs two classified dates", "inputs");
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "other class", unit: "", role: "change" }],
    };
  },
  reach: cellByCell,
  compute([before, after], out, { params: { classes } }) {
    const [fromOf, toOf] = [placesOf(classes, "before"), placesOf(classes, "after")];
    const [was, is] = [before!, after!].map((block) => labelCells(block.bands[0]!));
    const changed = realCells(out.bands[0]!);
    for (let i = 0; i < changed.length; i++) {
      const [from, to] = [fromOf[was![i]!]!, toOf[is![i]!]!];
      changed[i] = from && to ? Number(from !== to) : NaN;
    }
  },
};

/** Whether ground is of another class than it was, of two classified dates. */
export const otherClass: MeasurePart<"otherClass"> = {
  key: "otherClass",
  onPower: null,
  onValues: null,
  onClasses: {
    name: "Other class",
    help: "1 where the class after is another one than before. Its mean is the share that changed.",
  },
  said: () => "other class after than before, 1 or 0",
  rank: () => 0,
  unit: { unit: "", decimals: 2, step: 0.1 },
  graph: [otherClassStep],
  node({ before, after }, { transitions }) {
    if (!transitions) {
      throw new InputError(
        "Classified dates are compared by what became of what",
        "transitions",
        "Take them to Compare from Tally, From–to.",
      );
    }
    return node("change.otherClass", { classes: transitions.classes }, before.raw, after.raw);
  },
  presets: [],
  fields: [],
};
