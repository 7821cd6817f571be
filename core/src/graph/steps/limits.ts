import * as yup from "yup";
import { InputError } from "../../errors";
import { BLOCK, grow } from "../../grid/grid";
import { CLASS_NODATA, labelCells } from "../../raster/block";
import { type Runs, fillWindow, joinRuns, runsOf } from "../../patches/runs";
import { keepBeside } from "../../patches/beside";
import { fillHoles } from "../../patches/holes";
import { majority } from "../../patches/majority";
import { sieve } from "../../patches/sieve";
import { cellAreas } from "../../grid/area";
import { runEffects } from "../../tally/effects";
import { ahead } from "../ahead";
import type { ImageInfo } from "../image";
import type { Step, StepState, ParamsSchema } from "../step";
import { cellByCell, requireOneGrid } from "./common";

function requireClasses(title: string, info: ImageInfo): void {
  if (info.type !== "class8") {
    throw new InputError(`${title} works on classes, not on ${info.bands[0]!.role}`, "inputs");
  }
}

export interface LayerLimitParams {
  layer: string;
  min?: number | null;
  max?: number | null;
  /** Only these classes are dropped; all where it is left out. */ labels?: number[] | null;
}
/**
 * Classes where a layer lies beyond its limits become "no class". Where the layer is nodata the
 * class stays.
 */
export const layerLimitStep: Step<LayerLimitParams> = {
  kind: "limit.layer",
  version: 1,
  title: "Limit",
  help: "Drops classes where a layer lies beyond a limit. Where the layer has no value nothing is dropped.",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({
      layer: yup.string().max(40).required(),
      min: yup.number().nullable(),
      max: yup.number().nullable(),
      labels: yup.array(yup.number().integer().min(1).max(254).required()).nullable(),
    })
    .noUnknown(),
  describe(inputs) {
    requireClasses("Limit", inputs[0]!);
    requireOneGrid("Limit", inputs);
    return inputs[0]!;
  },
  reach: cellByCell,
  compute([classes, layer], out, { params }) {
    const src = labelCells(classes!.bands[0]!);
    const cells = layer!.bands[0]!;
    const dst = labelCells(out.bands[0]!);
    const min = params.min ?? -Infinity;
    const max = params.max ?? Infinity;
    const drops = new Uint8Array(256).fill(params.labels ? 0 : 1);
    for (const label of params.labels ?? []) {
      drops[label] = 1;
    }
    drops[CLASS_NODATA] = 0;
    for (let i = 0; i < dst.length; i++) {
      const c = src[i]!;
      const value = cells[i]!;
      dst[i] = (value > max || value < min) && drops[c] ? 0 : c;
    }
  },
};

/** The map after each of its limits, as bands of one image: the last one is the map. */
export const stagesStep: Step<{ names: string[] }> = {
  kind: "limit.stages",
  version: 1,
  title: "After each limit",
  help: "The map before and after each limit.",
  inputs: { min: 1, max: 16 },
  params: yup
    .object({ names: yup.array(yup.string().required()).min(1).max(16).required() })
    .noUnknown(),
  describe(inputs, params) {
    inputs.forEach((input) => requireClasses("After each limit", input));
    requireOneGrid("After each limit", inputs);
    return {
      ...inputs[inputs.length - 1]!,
      bands: inputs.map((input, k) => ({
        ...input.bands[0]!,
        name: params.names[k] ?? input.bands[0]!.name,
      })),
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    inputs.forEach((input, k) => out.bands[k]!.set(input.bands[0]!));
  },
};

/** A preview looks this many cells around its window at the most. */
const PREVIEW_HALO = 48;

/** Runs (see patches/runs.ts) as they are stored. */
interface RunsState extends StepState {
  width: number;
  height: number;
  rows: Uint32Array;
  starts: Uint32Array;
  labels: Uint8Array;
}
/** The map after the limit as runs, and what the limit did to the one before. */
interface PatchState extends RunsState {
  droppedCells: number;
  droppedM2: number;
  addedCells: number;
  addedM2: number;
}

/** A limit that works on patches: how far around a cell it looks, and what it does. */
interface PatchLimit<P extends object> {
  kind: string;
  version: number;
  title: string;
  help: string;
  params: ParamsSchema<P>;
  halo(params: P, level: number): number;
  work(runs: Runs, params: P, level: number): { runs: Runs; changed: number };
}

/**
 * A limit that works on the patches of the whole image. A full run gathers it as runs once; a
 * preview computes from its own window with a halo, which is the same wherever a patch of the size
 * in question does not reach past the halo.
 */
function onPatches<P extends object>(limit: PatchLimit<P>): Step<P, PatchState, RunsState> {
  const { title, work } = limit;
  return {
    kind: limit.kind,
    version: limit.version,
    title,
    help: limit.help,
    inputs: { min: 1, max: 1 },
    params: limit.params,
    describe([info]) {
      requireClasses(title, info!);
      return info!;
    },
    gather: {
      async strip(ask, { row, width, height }) {
        const cells = new Uint8Array(width * height);
        await ahead(
          Math.ceil(width / BLOCK),
          (k) =>
            ask.read(0, { col: k * BLOCK, row, width: Math.min(BLOCK, width - k * BLOCK), height }),
          ({ window: w, bands }) => {
            for (let r = 0; r < height; r++) {
              cells.set(bands[0]!.subarray(r * w.width, (r + 1) * w.width), r * width + w.col);
            }
          },
        );
        return { ...runsOf(cells, width, height) };
      },
      merge(parts, { params: ownParams, level, inputs }) {
        const before = joinRuns(parts);
        const { runs } = work(before, ownParams, level);
        return { ...runs, ...runEffects(before, runs, cellAreas(inputs[0]!.grid)) };
      },
    },
    reach: (w, ctx) => [
      {
        window: ctx.state
          ? { col: w.col, row: w.row, width: 0, height: 0 }
          : grow(w, Math.min(PREVIEW_HALO, limit.halo(ctx.params, ctx.level))),
        level: ctx.level,
      },
    ],
    compute([block], out, { params: patchParams, level, state }) {
      const { col, row, width, height } = out.window;
      const dst = labelCells(out.bands[0]!);
      if (state) {
        fillWindow(state, col, row, width, height, dst);
        return;
      }
      const from = block!.window;
      const { runs } = work(
        runsOf(labelCells(block!.bands[0]!), from.width, from.height),
        patchParams,
        level,
      );
      fillWindow(runs, col - from.col, row - from.row, width, height, dst);
    },
  };
}
const neighbourhood = yup
  .number<4 | 8>()
  .oneOf([4, 8] as const)
  .required();

/** Minimum patch (see patches/sieve.ts). */
export const minimumPatchStep = onPatches({
  kind: "limit.minimumPatch",
  version: 2,
  title: "Minimum patch",
  help: "Patches under this size take the class most frequent along their border.",
  params: yup
    .object({
      minCells: yup.number().integer().min(2).max(1_000_000).required(),
      neighbours: neighbourhood,
    })
    .noUnknown(),
  halo: ({ minCells }, level) => cellsAt(minCells, level),
  work: (runs, { minCells, neighbours }, level) =>
    sieve(runs, cellsAt(minCells, level), neighbours),
});

/** Holes in classes (see patches/holes.ts). */
export const holesStep = onPatches({
  kind: "limit.holes",
  version: 2,
  title: "Holes",
  help: "Ground of no class that a class encloses takes that class, up to this size.",
  params: yup
    .object({
      maxCells: yup.number().integer().min(1).max(1_000_000).required(),
      neighbours: neighbourhood,
    })
    .noUnknown(),
  halo: ({ maxCells }, level) => cellsAt(maxCells, level),
  work: (runs, { maxCells, neighbours }, level) =>
    fillHoles(runs, cellsAt(maxCells, level), neighbours),
});

const label = yup.number().integer().min(1).max(254).required();

/** A class only near another (see patches/beside.ts). */
export const besideStep = onPatches({
  kind: "limit.beside",
  version: 1,
  title: "Beside a class",
  help: "Takes a class away where no cell of another lies near.",
  params: yup
    .object({
      label,
      of: label,
      withinCells: yup.number().integer().min(1).max(256).required(),
    })
    .noUnknown(),
  halo: ({ withinCells }, level) => reachAt(withinCells, level),
  work: (runs, { label: kept, of, withinCells }, level) =>
    keepBeside(runs, { label: kept, of, reach: reachAt(withinCells, level) }),
});
/** A distance in cells of the full image, in those of a level. */
const reachAt = (cells: number, level: number): number => Math.ceil(cells / 2 ** level);

/**
 * The most frequent class of a window (see patches/majority.ts). At coarser levels the window
 * shrinks with the ground it covers.
 */
export const majorityStep: Step<{ windowCells: number }> = {
  kind: "limit.majority",
  version: 1,
  title: "Majority",
  help: "Each cell takes the class that is most frequent in the window around it.",
  inputs: { min: 1, max: 1 },
  params: yup.object({ windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required() }).noUnknown(),
  describe([info]) {
    requireClasses("Majority", info!);
    return info!;
  },
  reach: (w, ctx) => [
    { window: grow(w, halfAt(ctx.params.windowCells, ctx.level)), level: ctx.level },
  ],
  compute([block], out, { params, level }) {
    majority(
      labelCells(block!.bands[0]!),
      out.window.width,
      out.window.height,
      halfAt(params.windowCells, level),
      labelCells(out.bands[0]!),
    );
  },
};
const halfAt = (windowCells: number, level: number): number =>
  Math.floor(windowCells / 2 ** (level + 1));

/**
 * The limit is a number of full-resolution cells; a coarser level has fewer for the same ground.
 */
const cellsAt = (cells: number, level: number) => Math.max(1, Math.ceil(cells / 4 ** level));
