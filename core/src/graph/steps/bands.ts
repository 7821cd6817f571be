import * as yup from "yup";
import { InputError } from "../../errors";
import type { Step } from "../step";
import { cellByCell, none, requireOneGrid } from "./common";
import { realCells } from "../../raster/block";

/** Picks bands by their place in the image, counted from 0. */
export const selectStep: Step<{ bands: number[] }> = {
  kind: "bands.select",
  version: 1,
  title: "Pick bands",
  help: "Takes some bands of an image, in the order given.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({ bands: yup.array(yup.number().integer().min(0).required()).min(1).required() })
    .noUnknown(),
  describe([a], params) {
    return {
      ...a!,
      bands: params.bands.map((b) => {
        const info = a!.bands[b];
        if (!info) {
          throw new InputError(
            `There is no band ${b + 1}: the image has ${a!.bands.length}`,
            "bands",
          );
        }
        return info;
      }),
    };
  },
  reach: cellByCell,
  compute([block], out, { params }) {
    params.bands.forEach((b, i) => out.bands[i]!.set(block!.bands[b]!));
  },
};

/**
 * Bands become nodata wherever one of the masks is nodata: such cells are not looked at and not
 * counted.
 */
export const maskStep: Step<Record<string, never>> = {
  kind: "bands.mask",
  version: 1,
  title: "Keep only inside",
  help: "Cells outside the masks are nodata and are not counted.",
  inputs: { min: 2, max: 5 },
  params: none,
  describe(inputs) {
    requireOneGrid("Keep only inside", inputs);
    if (inputs[0]!.type !== "float32") {
      throw new InputError("Keep only inside works on real-valued bands", "inputs");
    }
    return inputs[0]!;
  },
  reach: cellByCell,
  compute([image, ...masks], out) {
    image!.bands.forEach((band, k) => {
      const dst = realCells(out.bands[k]!);
      dst.set(band);
      for (const mask of masks) {
        const cells = mask.bands[0]!;
        for (let i = 0; i < dst.length; i++) {
          const value = cells[i]!;
          if (value !== value) {
            dst[i] = NaN;
          }
        }
      }
    });
  },
};

/** Bands of several images on one grid as one image. */
export const stackStep: Step<{ names: string[] }> = {
  kind: "bands.stack",
  version: 1,
  title: "Stack",
  help: "Puts single-band images of one grid together as bands.",
  inputs: { min: 1, max: 16 },
  params: yup.object({ names: yup.array(yup.string().required()).min(1).required() }).noUnknown(),
  describe(inputs, params) {
    requireOneGrid("Stack", inputs);
    if (params.names.length !== inputs.length) {
      throw new InputError(
        `Stack has ${inputs.length} images and ${params.names.length} names`,
        "names",
      );
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: inputs.map((input, k) => {
        if (input.type !== "float32" || input.bands.length !== 1) {
          throw new InputError(
            `Image ${k + 1} of a stack must have one real-valued band`,
            "inputs",
          );
        }
        return { ...input.bands[0]!, name: params.names[k]! };
      }),
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    inputs.forEach((input, i) => out.bands[i]!.set(input.bands[0]!));
  },
};
