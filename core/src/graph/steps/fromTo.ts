import * as yup from "yup";
import {
  type CoverClass,
  coverClassesSchema,
  placesOf,
  transitionLabel,
} from "../../cover/coverClass";
import { InputError } from "../../errors";
import { CLASS_NODATA, labelCells, realCells } from "../../raster/block";
import type { ClassInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, requireOneGrid } from "./common";

/** Colour of what did not change. */
export const UNCHANGED_COLOUR = "#cfcabd";

/** What every pair of labels comes to, at 256 times the first and the second. */
function labelsOf(classes: readonly CoverClass[], unpaired: number): Uint8Array {
  const [fromOf, toOf] = [placesOf(classes, "before"), placesOf(classes, "after")];
  const out = new Uint8Array(256 * 256);
  for (let was = 0; was < 256; was++) {
    for (let is = 0; is < 256; is++) {
      const [from, to] = [fromOf[was]!, toOf[is]!];
      if (was === CLASS_NODATA || is === CLASS_NODATA) {
        out[256 * was + is] = CLASS_NODATA;
      } else if (from && to) {
        out[256 * was + is] = transitionLabel(from - 1, to - 1, classes.length);
      } else {
        out[256 * was + is] = unpaired;
      }
    }
  }
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

interface Params {
  classes: CoverClass[];
  /** Cells of a class that is paired with none are nodata: they are not counted as unchanged. */
  unpairedOut?: boolean;
}

/**
 * What two classified dates of one grid say that ground was and became, as labels of a map. 0: a
 * class that is paired with none on one of the dates; nodata: no class on one of them, or outside
 * one of the masks. Inputs: before, after, up to four masks.
 */
export const fromToStep: Step<Params> = {
  kind: "cover.fromTo",
  version: 1,
  title: "From–to",
  help: "What every cell was and became.",
  inputs: { min: 2, max: 6 },
  params: yup
    .object({ classes: coverClassesSchema, unpairedOut: yup.boolean().optional() })
    .noUnknown(),
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
  compute([before, after, ...masks], out, { params: { classes, unpairedOut } }) {
    const [was, is] = [before!, after!].map((block) => labelCells(block.bands[0]!));
    const labels = labelCells(out.bands[0]!);
    const become = labelsOf(classes, unpairedOut ? CLASS_NODATA : 0);
    for (let i = 0; i < labels.length; i++) {
      labels[i] = become[256 * was![i]! + is![i]!]!;
    }
    for (const mask of masks) {
      const inside = realCells(mask.bands[0]!);
      for (let i = 0; i < labels.length; i++) {
        if (Number.isNaN(inside[i]!)) {
          labels[i] = CLASS_NODATA;
        }
      }
    }
  },
};
