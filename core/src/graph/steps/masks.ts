import * as yup from "yup";
import { rasterise } from "../../vector/rasterise";
import type { MultiPolygon } from "../../vector/polygons";
import { grow } from "../../grid/grid";
import { InputError } from "../../errors";
import { qualityMask } from "../../optical/quality";
import type { Step } from "../step";
import { cellByCell, none, requireOneGrid } from "./common";
import { realCells } from "../../raster/block";

/** 1 where both dates have values and no gap within the margin; NaN elsewhere. */
export const seenMaskStep: Step<{ marginCells: number }> = {
  kind: "mask.seen",
  version: 1,
  title: "Seen on both dates",
  help: "Keeps cells that both dates show, and stays a margin away from frame edges and fill.",
  inputs: { min: 2, max: 2 },
  params: yup.object({ marginCells: yup.number().integer().min(0).max(64).required() }).noUnknown(),
  describe(inputs) {
    requireOneGrid("Seen on both dates", inputs);
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "seen", unit: "", role: "mask" }],
    };
  },
  // The margin is in full-resolution cells; at a coarser level it shrinks with the cells.
  reach: (w, ctx) =>
    ctx.inputs.map(() => ({
      window: grow(w, marginAt(ctx.params.marginCells, ctx.level)),
      level: ctx.level,
    })),
  compute(inputs, out, { params, level }) {
    const m = marginAt(params.marginCells, level);
    const { width, height } = out.window;
    const w = width + 2 * m;
    const h = height + 2 * m;
    const cells = inputs[0]!.bands[0]!;
    const band = inputs[1]!.bands[0]!;
    const dst = realCells(out.bands[0]!);
    const across = new Uint8Array(width * h);
    for (let r = 0; r < h; r++) {
      let last = -1e9;
      for (let c = 0; c < w; c++) {
        const value = cells[r * w + c]! + band[r * w + c]!;
        if (value !== value) {
          last = c;
        }
        const offset = c - 2 * m;
        if (offset >= 0) {
          across[r * width + offset] = c - last > 2 * m ? 1 : 0;
        }
      }
    }
    for (let c = 0; c < width; c++) {
      let last = -1e9;
      for (let r = 0; r < h; r++) {
        if (!across[r * width + c]) {
          last = r;
        }
        const offset = r - 2 * m;
        if (offset >= 0) {
          dst[offset * width + c] = r - last > 2 * m ? 1 : NaN;
        }
      }
    }
  },
};

const marginAt = (cells: number, level: number) => Math.ceil(cells / 2 ** level);

/** 1 inside the polygons, NaN outside. Polygons are in the coordinates of the grid. */
export const studyAreaMaskStep: Step<{ polygons: MultiPolygon }> = {
  kind: "mask.studyArea",
  version: 1,
  title: "Inside the study area",
  help: "Keeps cells whose centre lies inside the study area.",
  inputs: { min: 1, max: 1 },
  params: yup.object({ polygons: yup.mixed<MultiPolygon>().required() }).noUnknown(),
  describe([info]) {
    return {
      grid: info!.grid,
      type: "float32",
      bands: [{ name: "study area", unit: "", role: "mask" }],
    };
  },
  reach: (w, ctx) => [
    { window: { col: w.col, row: w.row, width: 0, height: 0 }, level: ctx.level },
  ],
  compute(_inputs, out, { params, output }) {
    const dst = realCells(out.bands[0]!);
    dst.fill(NaN);
    rasterise(params.polygons, output.grid, out.window, 1, dst);
  },
};

const CLOUDED = qualityMask(["cloud", "dilatedCloud", "cirrus", "shadow"]);
/**
 * 1 where the quality band says cloud, its rim, cirrus or cloud shadow; 0 elsewhere, also where
 * there is no number.
 */
export const cloudMaskStep: Step<Record<string, never>> = {
  kind: "mask.cloud",
  version: 1,
  title: "Cloud and its shadow",
  help: "Where the quality band says that cloud or its shadow covers the ground.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "quality")) {
      throw new InputError("The scene has no quality band that could tell cloud", "inputs");
    }
    return {
      grid: info!.grid,
      type: "float32",
      bands: [{ name: "cloud", unit: "", role: "mask" }],
    };
  },
  reach: cellByCell,
  compute([block], out, { base }) {
    const cells = block!.bands[base[0]!.bands.findIndex((band) => band.role === "quality")]!;
    const dst = realCells(out.bands[0]!);
    for (let i = 0; i < dst.length; i++) {
      dst[i] = cells[i]! & CLOUDED ? 1 : 0;
    }
  },
};
