import * as yup from "yup";
import { InputError } from "../../errors";
import { type Grid, grow, sameGrid } from "../../grid/grid";
import { hiddenReach } from "../../radar/hidden";
import { localIncidence } from "../../radar/incidence";
import { sensorWindow } from "../../radar/sensorWindow";
import { correctTerrain, lookGeometry } from "../../radar/terrain";
import { OUTSIDE, type Outside, heightsWith, rangeWith } from "../../terrain/outside";
import { RESAMPLING, type Resampling } from "../../raster/resampling";
import type { Step, StepContext } from "../step";
import { floats, requireRole } from "./common";
import { geometryOf, heightsOf } from "./sensor";
import { largestCellM } from "../../grid/metres";

/** `resampling` of the image; bilinear where it is not said. */
interface TerrainParams {
  grid: Grid;
  outside: Outside;
  extras: boolean;
  resampling?: Resampling;
}
/** The most cells around a window that are looked at: 254 of them can hide something. */
const HIDDEN_HALO = 256;
export const terrainStep: Step<TerrainParams> = {
  kind: "radar.terrain",
  version: 3,
  title: "Terrain",
  help: "Puts a radar image on the map by range–Doppler geometry and elevation; cells that are coarser than the image's take the mean of what they cover.",
  inputs: { min: 1, max: 2 },
  params: yup
    .object({
      grid: yup.mixed<Grid>().required(),
      outside: yup.string().oneOf(OUTSIDE).required(),
      extras: yup.boolean().required(),
      resampling: yup.string().oneOf(RESAMPLING),
    })
    .noUnknown(),
  describe([info, z], params) {
    geometryOf("Terrain", info!);
    requireRole("Terrain", info!, ["power"], "means on the map are means of power.");
    if (z) {
      requireRole("Terrain", z, ["elevation"], "the second image is elevation in metres.");
    }
    if (z && !sameGrid(z.grid, params.grid)) {
      throw new InputError("Elevation must be on the output grid", "inputs");
    }
    return {
      grid: params.grid,
      type: "float32",
      bands: [
        ...info!.bands.map((band) => ({ ...band })),
        ...(params.extras
          ? [
              { name: "local incidence", unit: "°", role: "angle" as const },
              { name: "layover and shadow", unit: "", role: "hidden" as const },
            ]
          : []),
      ],
      radiometry: info!.radiometry,
    };
  },
  reach(w, ctx) {
    const rd = geometryOf("Terrain", ctx.base[0]!);
    const info = ctx.base[1];
    const image = sensorWindow(
      rd,
      ctx.inputs[0]!.grid,
      ctx.output.grid,
      w,
      info
        ? rangeWith(ctx.params.outside, heightsOf(info))
        : rangeWith(ctx.params.outside === "seaLevel" ? "seaLevel" : "ellipsoid", [0, 0]),
      3,
    );
    return [
      { level: ctx.level, window: image },
      ...(info ? [{ level: ctx.level, window: grow(w, terrainHalo(ctx)) }] : []),
    ];
  },
  compute([block, z], out, ctx) {
    const { window: w } = out;
    const { params, inputs } = ctx;
    const rd = geometryOf("Terrain", ctx.base[0]!);
    const n = w.width * w.height;
    const heights = new Float32Array(n);
    if (z) {
      const halo = terrainHalo(ctx);
      const zw = w.width + 2 * halo;
      for (let r = 0; r < w.height; r++) {
        heights.set(
          floats(z)[0]!.subarray((r + halo) * zw + halo, (r + halo) * zw + halo + w.width),
          r * w.width,
        );
      }
    } else {
      heights.fill(NaN);
    }
    // Without any elevation all ground is taken to lie where it ends.
    const outside = !z && params.outside === "nodata" ? "ellipsoid" : params.outside;
    const ground = heightsWith(outside, heights, ctx.output.grid, w, ctx.level);
    const image = inputs[0]!.grid;
    const bands = ctx.base[0]!.bands.length;
    correctTerrain(
      rd,
      ctx.output.grid,
      w,
      ground,
      { grid: image, window: block!.window, bands: floats(block!) },
      coarseness(ctx),
      floats(out).slice(0, bands),
      params.resampling,
    );
    if (params.extras) {
      localIncidence(
        rd,
        ctx.output.grid,
        w,
        z ? { cells: floats(z)[0]!, halo: terrainHalo(ctx), reach: terrainHalo(ctx) - 2 } : null,
        floats(out)[0]!,
        floats(out)[bands]!,
        floats(out)[bands + 1]!,
      );
    }
  },
};

/** Samples across an output cell so that none of the image's cells is passed over. */
function coarseness(ctx: StepContext<TerrainParams>): number {
  const sensorModel = ctx.base[0]!.sensor!;
  const transform = ctx.inputs[0]!.grid.transform;
  const cell = largestCellM(ctx.output.grid);
  const ratio =
    cell /
    Math.min(sensorModel.sampleSpacingM * transform[1], sensorModel.lineSpacingM * transform[5]);
  return ratio <= 1.3 ? 1 : Math.min(8, Math.ceil(ratio));
}

/**
 * Cells around a window that its slopes, shadows and layover depend on: as far as the whole range
 * of heights can throw them.
 */
function terrainHalo(ctx: StepContext<TerrainParams>): number {
  if (!ctx.params.extras || !ctx.base[1]) {
    return 0;
  }
  const { grid } = ctx.output;
  const [low, high] = heightsOf(ctx.base[1]);
  const look = lookGeometry(
    geometryOf("Terrain", ctx.base[0]!),
    grid,
    grid.width / 2,
    grid.height / 2,
    0,
  );
  // Two cells are always needed, for slopes and lines between cells; a grid whose middle the sensor
  // never passes shows nothing anyway.
  if (!look) {
    return 2;
  }
  const thrown = hiddenReach(Math.max(0, high - low), look.incidence) / Math.min(...look.cellM);
  return Math.min(HIDDEN_HALO, 2 + Math.ceil(thrown));
}
