import * as yup from "yup";
import { alwaysBeyond } from "../../change/vector";
import { InputError } from "../../errors";
import { realCells } from "../../raster/block";
import type { Step } from "../step";
import { cellByCell, finite, none, requireOneGrid } from "./common";
import { requirePair } from "./pair";

/** After − before of every band, for grouping. */
export const differencesStep: Step<Record<string, never>> = {
  kind: "change.differences",
  version: 1,
  title: "Differences",
  help: "After − before, band by band.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair("Differences", inputs);
    return {
      grid: before.grid,
      type: "float32",
      bands: before.bands.map((band) => ({
        name: `Δ ${band.name}`,
        unit: band.unit,
        role: "change",
      })),
    };
  },
  reach: cellByCell,
  compute([block, a], out) {
    out.bands.forEach((band, k) => {
      const cells = block!.bands[k]!;
      const y = a!.bands[k]!;
      for (let i = 0; i < band.length; i++) {
        band[i] = y[i]! - cells[i]!;
      }
    });
  },
};

/** Bands of two images on one grid as one image. */
export const joinBandsStep: Step<Record<string, never>> = {
  kind: "bands.join",
  version: 1,
  title: "Both dates",
  help: "Puts the bands of several images of one grid together.",
  inputs: { min: 1, max: 16 },
  params: none,
  describe(inputs) {
    requireOneGrid("Both dates", inputs);
    if (inputs.some((input) => input.type !== "float32")) {
      throw new InputError("Only real-valued bands can be put together", "inputs");
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: inputs.flatMap((input) => input.bands),
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    inputs.flatMap((input) => input.bands).forEach((cells, k) => out.bands[k]!.set(cells));
  },
};

/**
 * Cells that are dark (or bright) on every one of some dates that shows them: water that stands
 * there anyway.
 */
export const alwaysStep: Step<{ op: "<" | ">"; value: number }> = {
  kind: "mask.always",
  version: 1,
  title: "So on other dates",
  help: "1 where every date that shows the cell lies on that side of the value, 0 where one does not.",
  inputs: { min: 1, max: 16 },
  params: yup
    .object({
      op: yup
        .string()
        .oneOf(["<", ">"] as const)
        .required(),
      value: finite(),
    })
    .noUnknown(),
  describe(inputs) {
    requireOneGrid("So on other dates", inputs);
    for (const input of inputs) {
      if (
        input.bands.length !== 1 ||
        input.type !== "float32" ||
        input.bands[0]!.unit !== inputs[0]!.bands[0]!.unit
      ) {
        throw new InputError(
          "One band of the same unit a date is compared with the value",
          "inputs",
        );
      }
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "always", unit: "", role: "mask" }],
    };
  },
  reach: cellByCell,
  compute(inputs, out, { params }) {
    alwaysBeyond(
      inputs.map((input) => realCells(input.bands[0]!)),
      params.op,
      params.value,
      realCells(out.bands[0]!),
    );
  },
};

/**
 * 1 where one of the inputs is over nought, 0 elsewhere; nodata counts as nought: what hides a cell
 * on either date.
 */
export const eitherStep: Step<Record<string, never>> = {
  kind: "mask.either",
  version: 1,
  title: "On either date",
  help: "1 where the mask of one date is set.",
  inputs: { min: 1, max: 4 },
  params: none,
  describe(inputs) {
    requireOneGrid("On either date", inputs);
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "either", unit: "", role: "mask" }],
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    const dst = realCells(out.bands[0]!);
    dst.fill(0);
    for (const input of inputs) {
      const cells = input.bands[0]!;
      for (let i = 0; i < dst.length; i++) {
        if (cells[i]! > 0) {
          dst[i] = 1;
        }
      }
    }
  },
};
