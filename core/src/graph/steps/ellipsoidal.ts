import * as yup from "yup";
import { LONLAT, transformer } from "../../geodesy/crs";
import { SEA_LEVEL_RANGE, seaLevelAboveEllipsoid } from "../../geodesy/geoid";
import { toMap } from "../../grid/grid";
import type { Step } from "../step";
import { cellByCell, requireRole } from "./common";
import { realCells } from "../../raster/block";

/**
 * Spacing in full-resolution cells of the points at which the geoid is asked; linear between them.
 */
const LATTICE = 64;

/**
 * Heights above sea level to heights above the ellipsoid, as the geometry of a sensor needs them.
 * Nodata stays nodata.
 */
export const ellipsoidalStep: Step<Record<never, never>> = {
  kind: "terrain.ellipsoidal",
  version: 1,
  title: "Heights above the ellipsoid",
  help: "Adds the height of sea level (EGM96) above the WGS 84 ellipsoid.",
  inputs: { min: 1, max: 1 },
  params: yup.object({}).noUnknown(),
  describe([info]) {
    requireRole(
      "Heights above the ellipsoid",
      info!,
      ["elevation"],
      "only elevation has a vertical datum.",
    );
    return {
      ...info!,
      bands: info!.bands.map((band) => ({
        ...band,
        vertical: "ellipsoid" as const,
        ...(band.range
          ? {
              range: [band.range[0] + SEA_LEVEL_RANGE[0], band.range[1] + SEA_LEVEL_RANGE[1]] as [
                number,
                number,
              ],
            }
          : {}),
      })),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const grid = ctx.output.grid;
    const w = out.window;
    const pointTransform = transformer(grid.crs, LONLAT);
    const step = Math.max(1, LATTICE >> ctx.level);
    // Anchored to the grid, so that a cell's height does not depend on its block.
    const i0 = Math.floor(w.col / step);
    const j0 = Math.floor(w.row / step);
    const nx = Math.floor((w.col + w.width) / step) - i0 + 2;
    const ny = Math.floor((w.row + w.height) / step) - j0 + 2;
    const sea = new Float64Array(nx * ny);
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++) {
        sea[j * nx + i] = seaLevelAboveEllipsoid(
          ...pointTransform(...toMap(grid, (i0 + i) * step, (j0 + j) * step)),
        );
      }
    }
    const src = realCells(block!.bands[0]!);
    const dst = realCells(out.bands[0]!);
    for (let r = 0, offset = 0; r < w.height; r++) {
      const value = (w.row + r + 0.5) / step;
      const j = Math.floor(value) - j0;
      const fy = value - Math.floor(value);
      for (let c = 0; c < w.width; c++, offset++) {
        const across = (w.col + c + 0.5) / step;
        const k = j * nx + Math.floor(across) - i0;
        const fx = across - Math.floor(across);
        dst[offset] =
          src[offset]! +
          (sea[k]! * (1 - fx) + sea[k + 1]! * fx) * (1 - fy) +
          (sea[k + nx]! * (1 - fx) + sea[k + nx + 1]! * fx) * fy;
      }
    }
  },
};
