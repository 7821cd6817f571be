import * as yup from "yup";
import {
  type ChainCell,
  type ChainResult,
  type Exceptions,
  checkedExceptions,
  settingsOf,
} from "./family";
import { InputError } from "../errors";

import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { type Grid, sameGrid } from "../grid/grid";

import type { StateVector } from "../radar/orbit";
import { onGrid } from "../graph/onGrid";
import { RESAMPLING, type Resampling } from "../raster/resampling";

export const CHAIN_STEPS = [
  "orbit",
  "noise",
  "calibrate",
  "looks",
  "speckle",
  "flatten",
  "terrain",
  "acrossDates",
  "decibel",
] as const;
export type ChainStep = (typeof CHAIN_STEPS)[number];
export const SPECKLE_FILTERS = ["mean", "median", "lee", "refinedLee", "gammaMap"] as const;

/** Settings of every step, one for all dates. `on` false: the step is skipped. */
export interface RadarChain {
  orbit: { on: boolean };
  noise: { on: boolean };
  calibrate: { on: boolean; to: "beta" | "sigma" | "gamma"; polarisations: string[] | null };
  looks: { on: boolean; rangeLooks: number; azimuthLooks: number };
  speckle: {
    on: boolean;
    filter: (typeof SPECKLE_FILTERS)[number];
    windowCells: number;
    looks: number;
  };
  flatten: { on: boolean; outside: "nodata" | "ellipsoid" };
  terrain: {
    on: boolean;
    grid: Grid;
    elevationId: string | null;
    outside: "nodata" | "ellipsoid";
    extras: boolean;
    resampling?: Resampling;
    elevationResampling?: "nearest" | "bilinear";
  };
  acrossDates: { on: boolean; windowCells: number };
  decibel: { on: boolean };
}

const on = yup.boolean().required();
const size = yup.number().oneOf([3, 5, 7, 9, 11]).required();
const outside = yup
  .string()
  .oneOf(["nodata", "ellipsoid"] as const)
  .required();
export const gridSchema = yup
  .object({
    crs: yup
      .object({
        code: yup.string().max(60).required(),
        proj4: yup.string().max(500).required(),
        name: yup.string().max(120),
      })
      .noUnknown()
      .required(),
    transform: yup.array(yup.number().required()).length(6).required(),
    width: yup.number().integer().min(1).max(400_000).required(),
    height: yup.number().integer().min(1).max(400_000).required(),
  })
  .noUnknown()
  .required();
const shapes = {
  orbit: yup.object({ on }),
  noise: yup.object({ on }),
  calibrate: yup.object({
    on,
    to: yup
      .string()
      .oneOf(["beta", "sigma", "gamma"] as const)
      .required(),
    polarisations: yup
      .array(yup.string().oneOf(["VV", "VH", "HH", "HV"]).required())
      .min(1)
      .nullable()
      .defined(),
  }),
  looks: yup.object({
    on,
    rangeLooks: yup.number().integer().min(1).max(32).required(),
    azimuthLooks: yup.number().integer().min(1).max(32).required(),
  }),
  speckle: yup.object({
    on,
    filter: yup.string().oneOf(SPECKLE_FILTERS).required(),
    windowCells: size,
    looks: yup.number().min(0.5).max(1000).required(),
  }),
  flatten: yup.object({ on, outside }),
  terrain: yup.object({
    on,
    grid: gridSchema,
    elevationId: yup.string().uuid().nullable().defined(),
    outside,
    extras: yup.boolean().required(),
    resampling: yup.string().oneOf(RESAMPLING),
    elevationResampling: yup.string().oneOf(["nearest", "bilinear"] as const),
  }),
  acrossDates: yup.object({ on, windowCells: size }),
  decibel: yup.object({ on }),
};
export const radarChainSchema = yup
  .object(
    Object.fromEntries(
      Object.entries(shapes).map(([k, value]) => [k, value.noUnknown().required()]),
    ),
  )
  .noUnknown() as unknown as yup.ObjectSchema<RadarChain>;

/** @throws InputError naming scene and field */
export const checkExceptions = (chain: RadarChain, exceptions: unknown): Exceptions =>
  checkedExceptions(CHAIN_STEPS, radarChainSchema, chain, exceptions, {
    terrain: { field: "grid", why: "One date cannot have a grid of its own" },
  });

/** Settings of a chain for one scene: those for every date with the scene's exceptions. */
export const settingsFor = (
  chain: RadarChain,
  exceptions: Exceptions,
  sceneId: string,
): RadarChain => settingsOf(CHAIN_STEPS, chain, exceptions, sceneId);

/**
 * Settings that suit mapping floods: beta nought flattened by terrain, as it lies on the map in the
 * images' own cell size.
 */
export function floodChain(
  grid: Grid,
  facts: { elevationId: string | null; looks: number; rangeLooks: number; azimuthLooks: number },
): RadarChain {
  return {
    orbit: { on: true },
    noise: { on: true },
    calibrate: { on: true, to: facts.elevationId ? "beta" : "gamma", polarisations: null },
    looks: {
      on: facts.rangeLooks * facts.azimuthLooks > 1,
      rangeLooks: facts.rangeLooks,
      azimuthLooks: facts.azimuthLooks,
    },
    speckle: {
      on: false,
      filter: "refinedLee",
      windowCells: 7,
      looks: Math.round(facts.looks * 10) / 10,
    },
    flatten: { on: facts.elevationId !== null, outside: "ellipsoid" },
    terrain: { on: true, grid, elevationId: facts.elevationId, outside: "ellipsoid", extras: true },
    acrossDates: { on: false, windowCells: 7 },
    decibel: { on: false },
  };
}

export interface ChainScene {
  id: string;
  imageId: string;
  info: ImageInfo;
  orbit: { kind: "precise" | "restituted"; vectors: StateVector[] } | null;
}
export interface Elevation {
  imageId: string;
  info: ImageInfo;
}

/**
 * Stored elevation as heights above the ellipsoid; heights of which it is not known are taken to be
 * that already.
 */
export function ellipsoidalNode(imageId: string, info: ImageInfo): NodeSpec {
  const vertical = info.bands[0]?.vertical ?? "ellipsoid";
  return vertical === "ellipsoid"
    ? sourceNode(imageId)
    : node("terrain.ellipsoidal", {}, sourceNode(imageId));
}

/** The nodes of a scene up to Terrain, in order. */
export function sceneNodes(
  chainScene: ChainScene,
  radarChain: RadarChain,
  elevation: Elevation | null,
): ChainCell<ChainStep>[] {
  const cells: ChainCell<ChainStep>[] = [];
  let at = sourceNode(chainScene.imageId);
  const add = (step: ChainStep, output: NodeSpec | null, warnings: string[] = []) => {
    cells.push({ step, skipped: output === null, input: at, output: output ?? at, warnings });
    at = output ?? at;
  };
  const on = (step: ChainStep) => radarChain[step].on;
  if (!on("orbit")) {
    add("orbit", null);
  } else if (chainScene.orbit) {
    add(
      "orbit",
      node("radar.orbit", { vectors: chainScene.orbit.vectors, kind: chainScene.orbit.kind }, at),
      chainScene.orbit.kind === "restituted"
        ? [
            "The orbit file is a restituted one: good to a few centimetres across and decimetres along the track. A precise one follows some weeks after the pass.",
          ]
        : [],
    );
  } else {
    cells.push({
      step: "orbit",
      skipped: false,
      input: at,
      output: at,
      warnings: [
        "There is no orbit file for this pass: the product's own orbit is used; expect a shift of some metres. Add the orbit file.",
      ],
    });
  }
  const raw = at;
  // Noise leaves with calibration in one step of the graph; by itself it can be looked at as
  // intensity.
  add(
    "noise",
    on("noise")
      ? node("radar.calibrate", { to: "none", removeNoise: true, polarisations: null }, raw)
      : null,
  );
  if (on("calibrate")) {
    const input = at;
    at = node(
      "radar.calibrate",
      {
        to: radarChain.calibrate.to,
        removeNoise: on("noise"),
        polarisations: radarChain.calibrate.polarisations,
      },
      raw,
    );
    cells.push({ step: "calibrate", skipped: false, input, output: at, warnings: [] });
  } else {
    if (!on("noise")) {
      at = node("radar.calibrate", { to: "none", removeNoise: false, polarisations: null }, raw);
    }
    cells.push({
      step: "calibrate",
      skipped: true,
      input: at,
      output: at,
      warnings: ["Without calibration the numbers of two dates cannot be compared."],
    });
  }
  add(
    "looks",
    on("looks")
      ? node(
          "radar.looks",
          { rangeLooks: radarChain.looks.rangeLooks, azimuthLooks: radarChain.looks.azimuthLooks },
          at,
        )
      : null,
  );
  const { filter, windowCells, looks } = radarChain.speckle;
  add(
    "speckle",
    !on("speckle")
      ? null
      : filter === "refinedLee"
        ? node("radar.refinedLee", { looks }, at)
        : filter === "lee"
          ? node("radar.lee", { windowCells, looks }, at)
          : filter === "gammaMap"
            ? node("radar.gammaMap", { windowCells, looks }, at)
            : node(`radar.${filter}`, { windowCells }, at),
  );
  const vertical = elevation?.info.bands[0]?.vertical ?? null;
  const z = elevation ? ellipsoidalNode(elevation.imageId, elevation.info) : null;
  if (on("flatten") && !z) {
    throw new InputError(
      "Flatten needs elevation",
      "flatten",
      "Add a scene of kind elevation and pick it in Terrain, or skip this step.",
    );
  }
  add(
    "flatten",
    on("flatten") ? node("radar.flatten", { outside: radarChain.flatten.outside }, at, z!) : null,
  );
  if (on("terrain")) {
    const { grid, outside, extras, resampling, elevationResampling } = radarChain.terrain;
    let heights: NodeSpec[];
    if (!z) {
      heights = [];
    } else if (elevationResampling === "nearest" && !sameGrid(elevation!.info.grid, grid)) {
      heights = [node("grid.warp", { grid, kernel: "nearest" }, z)];
    } else {
      heights = [onGrid(z, elevation!.info, grid)];
    }
    add(
      "terrain",
      node(
        "radar.terrain",
        {
          grid,
          outside,
          extras,
          ...(resampling && resampling !== "bilinear" ? { resampling } : {}),
        },
        at,
        ...heights,
      ),
      !z
        ? [
            "There is no elevation: places on hills lie off by about their height, towards the sensor.",
          ]
        : vertical === null
          ? [
              "It is not known what the heights of the elevation are counted from; they are taken as above the ellipsoid. If they are above sea level, places lie off by up to 100 m. Say which in Scenes.",
            ]
          : [],
    );
  } else {
    add("terrain", null, [
      "Without Terrain the images stay in sensor geometry and cannot be compared.",
    ]);
  }
  return cells;
}

/**
 * All scenes' cells to the end; Across dates takes every scene's Terrain result in the order given.
 */
export function chainNodes(
  scenes: readonly { scene: ChainScene; settings: RadarChain; elevation: Elevation | null }[],
): Map<string, ChainResult<ChainStep>> {
  const out = new Map<string, ChainResult<ChainStep>>();
  for (const { scene, settings, elevation } of scenes) {
    try {
      const cells = sceneNodes(scene, settings, elevation);
      out.set(scene.id, { cells, result: cells.at(-1)!.output, error: null });
    } catch (error) {
      if (!(error instanceof InputError)) {
        throw error;
      }
      // The steps before the one that refuses can still be looked at.
      const cells = sceneNodes(
        scene,
        { ...settings, flatten: { ...settings.flatten, on: false } },
        elevation,
      );
      out.set(scene.id, { cells, result: cells.at(-1)!.output, error, failedAt: "flatten" });
    }
  }
  const together = scenes.filter(
    (scene) => scene.settings.acrossDates.on && out.get(scene.scene.id)!.error === null,
  );
  const inputs = together.map((s) => out.get(s.scene.id)!.result);
  for (const { scene, settings } of scenes) {
    const chainResult = out.get(scene.id)!;
    const last = chainResult.result;
    const k = together.findIndex((s) => s.scene.id === scene.id);
    const joint =
      settings.acrossDates.on && k >= 0 && inputs.length > 1
        ? node(
            "radar.acrossDates",
            { index: k, windowCells: settings.acrossDates.windowCells },
            ...inputs,
          )
        : null;
    chainResult.cells.push({
      step: "acrossDates",
      skipped: joint === null,
      input: last,
      output: joint ?? last,
      warnings: settings.acrossDates.on && !joint ? ["Across dates needs two dates or more."] : [],
    });
    chainResult.result = joint ?? last;
    const db = settings.decibel.on ? node("radar.decibel", {}, chainResult.result) : null;
    chainResult.cells.push({
      step: "decibel",
      skipped: db === null,
      input: chainResult.result,
      output: db ?? chainResult.result,
      warnings: [],
    });
  }
  return out;
}
