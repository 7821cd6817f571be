import * as yup from "yup";
import { type CoverClass, coverClassesSchema, transitionLabel } from "../../cover/coverClass";
import { InputError } from "../../errors";
import { CLASS_NODATA, labelCells, realCells } from "../../raster/block";
import type { ClassInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, requireOneGrid } from "./common";

/** Colour of what did not change. */
export const UNCHANGED_COLOUR = "#cfcabd";

/** Which class every label of a side belongs to, by its place from one; nought: none. */
function placesOf(classes: readonly CoverClass[], side: "before" | "after"): Uint8Array {
  const out = new Uint8Array(256);
  classes.forEach((one, k) => one[side].forEach((label) => (out[label] = k + 1)));
  return out;
}

/** What was and became of every class, as classes of a map. */
function transitionsOf(classes: readonly CoverClass[]): ClassInfo[] {
  const count = classes.length;
  return classes.flatMap((was, from) =>
    classes.map((is, to) => ({
      label: transitionLabel(from, to, count),
      name: from === to ? `${was.name}, unchanged` : `${was.name} to ${is.name}`,
      color: from === to ? UNCHANGED_COLOUR : is.color,
    })),
  );
}

/**
 * What two classified dates of one grid say that ground was and became, as labels of a map. 0: a
 * class that is paired with none on one of the dates; nodata: no class on one of them, or outside the
 * third input, a mask. Inputs: before, after, mask.
 */
export const fromToStep: Step<{ classes: CoverClass[] }> = {
  kind: "cover.fromTo",
  version: 1,
  title: "From–to",
  help: "What every cell was and became.",
  inputs: { min: 2, max: 3 },
  params: yup.object({ classes: coverClassesSchema }).noUnknown(),
  describe(inputs, { classes }) {
    requireOneGrid("From–to", inputs);
    if (inputs.slice(0, 2).some(({ type }) => type !== "class8")) {
      throw new InputError("From–to needs two classified dates", "inputs");
    }
    return {
      grid: inputs[0]!.grid,
      type: "class8",
      bands: [{ name: "from–to", unit: "", role: "classes" }],
      classes: transitionsOf(classes),
    };
  },
  reach: cellByCell,
  compute([before, after, mask], out, { params: { classes } }) {
    const [was, is] = [before!, after!].map((block) => labelCells(block.bands[0]!));
    const inside = mask ? realCells(mask.bands[0]!) : null;
    const labels = labelCells(out.bands[0]!);
    const [fromOf, toOf] = [placesOf(classes, "before"), placesOf(classes, "after")];
    for (let i = 0; i < labels.length; i++) {
      const [from, to] = [was![i]!, is![i]!];
      if (from === CLASS_NODATA || to === CLASS_NODATA || (inside && Number.isNaN(inside[i]!))) {
        labels[i] = CLASS_NODATA;
      } else if (fromOf[from] && toOf[to]) {
        labels[i] = transitionLabel(fromOf[from] - 1, toOf[to] - 1, classes.length);
      } else {
        labels[i] = 0;
      }
    }
  },
};
