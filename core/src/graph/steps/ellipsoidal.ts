import * as yup from "yup";
import { SEA_LEVEL_RANGE } from "../../geodesy/geoid";
import { seaLevelIn } from "../../terrain/seaLevel";
import type { Step } from "../step";
import { cellByCell, requireRole } from "./common";
import { realCells } from "../../raster/block";

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
    const sea = seaLevelIn(ctx.output.grid, out.window, ctx.level);
    const src = realCells(block!.bands[0]!);
    const dst = realCells(out.bands[0]!);
    for (let i = 0; i < dst.length; i++) {
      dst[i] = src[i]! + sea[i]!;
    }
  },
};
