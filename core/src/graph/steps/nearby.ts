import * as yup from "yup";
import { type NearbySide, nearby, nearbyHalo } from "../../raster/nearby";
import type { Step } from "../step";
import { floats, withHalo } from "./common";

interface Params {
  meanCells: number;
  withinCells: number;
  side: NearbySide;
}

/** The lowest or highest mean around each cell, or with nothing around it the mean alone. */
export const nearbyStep: Step<Params> = {
  kind: "cells.nearby",
  version: 1,
  title: "Nearby",
  help: "The lowest or highest of the means of small windows around a cell.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      meanCells: yup.number().oneOf([1, 3, 5, 7]).required(),
      withinCells: yup.number().integer().min(0).max(16).required(),
      side: yup
        .string()
        .oneOf(["lowest", "highest"] as const)
        .required(),
    })
    .noUnknown(),
  describe: ([image]) => image!,
  reach: (w, ctx) => withHalo(w, ctx, nearbyHalo(ctx.params.meanCells, ctx.params.withinCells)),
  compute([block], out, { params }) {
    const { width, height } = out.window;
    floats(block!).forEach((cells, k) =>
      nearby(
        cells,
        width,
        height,
        params.meanCells,
        params.withinCells,
        params.side,
        floats(out)[k]!,
      ),
    );
  },
};
