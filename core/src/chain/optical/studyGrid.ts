import * as yup from "yup";
import { node } from "../../graph/node";
import { warpStep } from "../../graph/steps/warp";
import { sameGrid } from "../../grid/grid";
import { RESAMPLING } from "../../raster/resampling";
import { RESAMPLINGS } from "../commonFields";
import { gridText } from "../gridText";
import { gridSchema, stepSettings } from "../settings";
import type { OpticalStep } from "./family";

const settings = stepSettings({
  grid: gridSchema,
  resampling: yup.string().oneOf(RESAMPLING).required(),
});

/** Puts every date on the same cells. */
export const studyGrid: OpticalStep<"grid", yup.InferType<typeof settings>> = {
  key: "grid",
  name: "Study grid",
  help: "Puts every date on the same cells.",
  settings,
  graph: [warpStep],
  common: { field: "grid", why: "One date cannot have a grid of its own" },
  apart: "lies on its own cells: Study grid is skipped",
  propose: ({ grid }) => ({ on: true, grid, resampling: "bilinear" }),
  place(row) {
    const { on: runs, grid, resampling } = row.settings.grid;
    if (!runs) {
      row.skip(["Each date keeps its own cells: dates on other cells cannot be compared."]);
    } else if (sameGrid(row.info.grid, grid)) {
      row.put(row.before);
    } else {
      row.put(node("grid.warp", { grid, kernel: resampling }, row.before));
    }
  },
  sentence: (own) => gridText(own.grid),
  shows: ({ info }) => `${info.grid.width} x ${info.grid.height}`,
  fields: () => [
    { kind: "grid", at: "grid", coarsestM: 5000 },
    {
      kind: "choice",
      at: "resampling",
      label: "Cells take",
      name: "Resampling",
      options: RESAMPLINGS,
    },
    { kind: "gridSize", at: "grid", note: "Masks and bits are taken from the nearest cell." },
  ],
};
