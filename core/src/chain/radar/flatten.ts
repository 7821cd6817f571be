import * as yup from "yup";
import { InputError } from "../../errors";
import { ontoGrid } from "../../grid/globe";
import { fromEcef } from "../../geodesy/ecef";
import { node } from "../../graph/node";
import type { Step, StepContext } from "../../graph/step";
import { floats, requireRole } from "../../graph/steps/common";
import { geometryOf, heightsOf } from "../../graph/steps/sensor";
import { isSensorFrame } from "../../grid/frames";
import { type Window, grow, levelCount, levelGrid, toCell } from "../../grid/grid";
import { areaRatio } from "../../radar/flatten";
import { frameLook } from "../../radar/frameLook";
import { type Outside, heightsWith, rangeWith } from "../../terrain/outside";
import { outside, stepSettings } from "../settings";
import { beyondElevation, coverWarning, heightsFor } from "./elevation";
import type { RadarStep } from "./family";
import { largestCellM } from "../../grid/metres";

const flattenStep: Step<{ outside: Outside }> = {
  kind: "radar.flatten",
  version: 3,
  title: "Flatten",
  help: "Takes the light and shade of slopes out of beta nought by the area that each cell's ground shows to the beam (Small 2011).",
  inputs: { min: 2, max: 2 },
  params: yup.object({ outside }).noUnknown(),
  describe([info, z]) {
    geometryOf("Flatten", info!);
    requireRole("Flatten", info!, ["power"], "areas belong to power.");
    requireRole("Flatten", z!, ["elevation"], "the second image is elevation in metres.");
    if (isSensorFrame(z!.grid.crs)) {
      throw new InputError("Elevation must lie on the map", "inputs");
    }
    if (info!.radiometry !== "beta") {
      throw new InputError(
        `Flatten needs beta nought, not ${info!.radiometry ? `${info!.radiometry} nought` : "numbers that are not calibrated"}: the area has not been taken out of it yet`,
        "inputs",
        "Set Calibrate to beta nought.",
      );
    }
    return {
      ...info!,
      bands: info!.bands.map((band) => ({ ...band, name: `gamma0 ${band.polarisation}` })),
      radiometry: "flat",
    };
  },
  reach: (w, ctx) => [
    { window: w, level: ctx.level },
    { window: groundWindow(ctx, w), level: groundLevel(ctx) },
  ],
  compute([block, z], out, ctx) {
    const w = out.window;
    const ratio = new Float32Array(w.width * w.height);
    const zg = levelGrid(ctx.base[1]!.grid, groundLevel(ctx));
    const heights = floats(z!)[0]!;
    if (z!.window.width < 2 || z!.window.height < 2) {
      floats(out).forEach((b) => b.fill(NaN));
      return;
    }
    const filled = heightsWith(ctx.params.outside, heights, zg, z!.window, groundLevel(ctx));
    areaRatio(
      geometryOf("Flatten", ctx.base[0]!),
      filled,
      zg,
      z!.window,
      ctx.output.grid,
      w,
      shadowReach(ctx),
      ratio,
    );
    floats(block!).forEach((b, k) => {
      const output = floats(out)[k]!;
      for (let i = 0; i < output.length; i++) {
        output[i] = b[i]! / ratio[i]!;
      }
    });
  },
};

/** Level of the elevation, of those that it has, whose cells are not much finer than the image's. */
function groundLevel(ctx: StepContext<unknown>): number {
  const sensorModel = ctx.base[0]!.sensor!;
  const transform = ctx.output.grid.transform;
  const { grid } = ctx.base[1]!;
  const cellM = Math.min(
    sensorModel.sampleSpacingM * transform[1],
    sensorModel.lineSpacingM * transform[5],
  );
  // An overview is a preview: there it may be a little coarser than the image.
  const near = ctx.level > 0 ? Math.round : Math.floor;
  const wanted = near(Math.log2(cellM / largestCellM(grid) + 1e-9));
  return Math.max(0, Math.min(levelCount(grid.width, grid.height) - 1, wanted));
}

/** Elevation window under an image window, with what layover can bring in from beside. */
function groundWindow(ctx: StepContext<{ outside: Outside }>, w: Window): Window {
  const rd = geometryOf("Flatten", ctx.base[0]!);
  const info = ctx.base[1]!;
  const zg = levelGrid(info.grid, groundLevel(ctx));
  const transform = ctx.output.grid.transform;
  const to = ontoGrid(zg);
  const [low, high] = rangeWith(ctx.params.outside, heightsOf(info));
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (let j = 0; j <= 4; j++) {
    for (let i = 0; i <= 4; i++) {
      for (const h of [low, high]) {
        const sample = transform[0] + (w.col + (w.width * i) / 4) * transform[1] - 0.5;
        const line = transform[3] + (w.row + (w.height * j) / 4) * transform[5] - 0.5;
        const point = rd.ground(line, sample, h);
        if (Number.isNaN(point[0])) {
          continue;
        }
        const [lon, lat] = fromEcef(point);
        const [x, y] = toCell(zg, ...to(lon, lat));
        c0 = Math.min(c0, x);
        c1 = Math.max(c1, x);
        r0 = Math.min(r0, y);
        r1 = Math.max(r1, y);
      }
    }
  }
  if (!(c1 >= c0)) {
    return NO_CELLS;
  }
  return grow(
    {
      col: Math.floor(c0),
      row: Math.floor(r0),
      width: Math.ceil(c1) - Math.floor(c0) + 1,
      height: Math.ceil(r1) - Math.floor(r0) + 1,
    },
    shadowReach(ctx) + BESIDE,
  );
}

/** Cells of the elevation beside those that an image window sees: lines lie between cells. */
const BESIDE = 4;
/** The most cells of the elevation within which ground throws shadow. */
const MOST_REACH = 256;

/** Cells of the elevation as far as which its whole range of heights throws shadow. */
function shadowReach(ctx: StepContext<{ outside: Outside }>): number {
  const info = ctx.base[1]!;
  const [low, high] = rangeWith(ctx.params.outside, heightsOf(info));
  const ground = levelGrid(info.grid, groundLevel(ctx));
  // The flattest beam throws the longest shadows: that of the far edge.
  const look = frameLook(geometryOf("Flatten", ctx.base[0]!), ground, 1);
  return look
    ? Math.min(
        MOST_REACH,
        Math.ceil((Math.max(0, high - low) * Math.tan(look.incidence)) / Math.min(...look.cellM)),
      )
    : MOST_REACH;
}

const NO_CELLS: Window = { col: 0, row: 0, width: 0, height: 0 };
const settings = stepSettings({ outside });

/** Takes the light and shade of slopes out. */
export const flatten: RadarStep<"flatten", yup.InferType<typeof settings>> = {
  key: "flatten",
  name: "Flatten",
  help: "Takes the light and shade of slopes out by the area that each cell's ground shows to the beam. Gives gamma nought of terrain.",
  settings,
  graph: [flattenStep],
  propose: ({ elevationId }) => ({ on: elevationId !== null, outside: "seaLevel" }),
  place(row) {
    const own = row.settings.flatten;
    const { elevation, unusedElevation } = row.scene;
    const heights = heightsFor(elevation);
    if (!own.on) {
      row.skip(
        unusedElevation ? [`There is elevation now: ${unusedElevation}. Flatten can run.`] : [],
      );
    } else if (heights && elevation) {
      const missing = coverWarning(elevation, own.outside);
      row.put(
        node("radar.flatten", { outside: own.outside }, row.before, heights),
        missing ? [missing] : [],
      );
    } else {
      row.refuse(
        "Flatten needs elevation",
        "flatten",
        "Add a scene of kind elevation and pick it in Terrain, or skip this step.",
      );
    }
  },
  sentence: () => "terrain γ⁰",
  shows: () => "γ⁰ of terrain",
  fields: (_own, chain) => [
    beyondElevation,
    { kind: "elevationName", id: chain.terrain.elevationId },
  ],
};
