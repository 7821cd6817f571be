import { type WaterBodies, bodyCells, waterBodies } from "@hindglance/core/flood/bodies";
import { DepthTally, type DepthSums } from "@hindglance/core/flood/depths";
import { SHORE_REACH, type ShorePoint, shorePoints } from "@hindglance/core/flood/shore";
import { type WaterSurface, levelAt, waterSurfaces } from "@hindglance/core/flood/surface";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, sourceNode } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Window, grow, levelCount } from "@hindglance/core/grid/grid";
import { largestCellM } from "@hindglance/core/grid/metres";
import { patchMeans } from "@hindglance/core/patches/facts";
import { numbersOf } from "@hindglance/core/patches/overlap";
import { labelCells, realCells } from "@hindglance/core/raster/block";
import { type StoredBlock, removeBlocks, writeBlocks } from "../db/blocks";
import { type PatchDepth, deletePatchDepth, setMapDepth, writePatchDepth } from "../db/depth";
import { deleteImage, finishImage } from "../db/images";
import { deleteStates } from "../db/nodes";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import { type ZonePolygons, zoneCells } from "../products/zonePolygons";
import { joined, sumsFrom } from "./doubtStates";
import type { RangeContext, RunKind } from "./kind";
import { numbersOfImage, patchedImage, runsOfImage } from "./mapPatches";
import { RANGE_CELLS, evaluatorFor } from "./mapPhases";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { type RowRange, blockWindows, rowRanges } from "./ranges";
import { StripSums } from "./stripSums";

/** What a run that measures the depth of a flood is told. */
export interface DepthParams {
  changeMapId: string;
  name: string;
  mapImageId: string;
  /** Numbers of patches that somebody gave an outline, where the map has any. */
  patchImageId: string | null;
  mapInfo: ImageInfo;
  setup: ChangeSetup;
  zones: ZonePolygons;
  /** Heights of the ground on the map's grid, metres. */
  elevation: NodeSpec;
  /** Classes of ground that came under water, by whose shores its level is told. */
  flooded: number[];
  /** Those, and classes of what was water before or stands in it. */
  wet: number[];
  /** Of the depths. */
  imageId: string;
  info: ImageInfo;
}

const SHORES = 0;
const CELLS = 1;
/** Layers that patches have means of: level, how far shores disagree, depth. */
const LAYERS = 3;

const levelsOf = ({ info: { grid } }: DepthParams) => levelCount(grid.width, grid.height);
const patchPhase = (params: DepthParams) => CELLS + levelsOf(params);
const rangesOf = ({ info: { grid } }: DepthParams): RowRange[] =>
  rowRanges(grid.width, grid.height, RANGE_CELLS);
const keyOf = ({ imageId }: DepthParams, what: string) => `depth/${imageId}/${what}`;

const bodiesOf = async (params: DepthParams, ctx: RangeContext): Promise<WaterBodies> =>
  waterBodies(await runsOfImage(params.mapImageId, params.mapInfo.grid, ctx), new Set(params.wet));

const labelsIn = async (evaluator: Evaluator, { mapImageId }: DepthParams, window: Window) =>
  labelCells((await evaluator.read(sourceNode(mapImageId), 0, window)).bands[0]!);
const heightsIn = async (evaluator: Evaluator, { elevation }: DepthParams, window: Window) =>
  realCells((await evaluator.read(elevation, 0, window)).bands[0]!);

/** Shore points of the whole map. Blocks without ground that came under water are not looked at. */
async function pointsOf(params: DepthParams, bodies: WaterBodies, ctx: RangeContext) {
  const evaluator = evaluatorFor(ctx);
  const { grid } = params.info;
  const windows = blockWindows(params.info.grid, { from: 0, to: Math.ceil(grid.height / BLOCK) });
  const flooded = new Set(params.flooded);
  const points: ShorePoint[] = [];
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const wide = grow(window, SHORE_REACH);
    const labels = await labelsIn(evaluator, params, wide);
    if (labels.some((label) => flooded.has(label))) {
      const shore = {
        window,
        cells: bodyCells(bodies, wide),
        flooded: labels.map((label) => (flooded.has(label) ? 1 : 0)),
        elevation: await heightsIn(evaluator, params, wide),
      };
      for (const point of shorePoints(shore, bodies, largestCellM(grid))) {
        points.push(point);
      }
    }
    ctx.progress((k + 1) / windows.length);
  }
  return points;
}

/** Finds the surfaces of all water. @throws AppError where no shore tells a level */
async function findSurfaces(params: DepthParams, ctx: RangeContext): Promise<void> {
  const bodies = await bodiesOf(params, ctx);
  const points = await pointsOf(params, bodies, ctx);
  const surfaces = waterSurfaces(points, largestCellM(params.info.grid));
  if (surfaces.length === 0) {
    throw new AppError(
      422,
      "noShore",
      `No shore of ${params.name} tells how high the water stands`,
      "flooded",
      "It needs water that meets rising ground on the elevation of the study; pick the classes that are water.",
    );
  }
  const key = keyOf(params, "surfaces");
  await ctx.states.remove([key]);
  await ctx.states.put(key, surfacesState(surfaces));
}

const surfacesState = (surfaces: readonly WaterSurface[]): StepState => ({
  shapes: JSON.stringify(surfaces.map(({ levels: _levels, spreads: _spreads, ...shape }) => shape)),
  ...Object.fromEntries(
    surfaces.flatMap(({ levels, spreads }, k) => [
      [`levels${k}`, levels],
      [`spreads${k}`, spreads],
    ]),
  ),
});

type Shape = Omit<WaterSurface, "levels" | "spreads">;
const areShapes = (value: unknown): value is Shape[] => Array.isArray(value);

/** Surfaces by the body that they are of. @throws Error where they are not there */
function surfacesFrom(state: StepState | null): Map<number, WaterSurface> {
  const shapes: unknown = typeof state?.shapes === "string" ? JSON.parse(state.shapes) : null;
  if (!areShapes(shapes)) {
    throw new Error("The surfaces of the water are not stored");
  }
  const numbers = (name: string): Float64Array => {
    const found = state![name];
    if (!(found instanceof Float64Array)) {
      throw new Error(`${name} of the water is not stored`);
    }
    return found;
  };
  return new Map(
    shapes.map((shape, k) => [
      shape.body,
      { ...shape, levels: numbers(`levels${k}`), spreads: numbers(`spreads${k}`) },
    ]),
  );
}

/** Level, disagreement and depth of the cells of a window; NaN on dry ground and where not known. */
function depthsIn(
  window: Window,
  bodies: WaterBodies,
  surfaces: ReadonlyMap<number, WaterSurface>,
  heights: Float32Array,
): [level: Float32Array, spread: Float32Array, depth: Float32Array] {
  const { part, wet } = bodyCells(bodies, window);
  const empty = () => new Float32Array(part.length).fill(NaN);
  const [level, spread, depth] = [empty(), empty(), empty()];
  for (let i = 0; i < part.length; i++) {
    const surface = wet[i] === 1 ? surfaces.get(part[i]!) : undefined;
    if (surface) {
      const col = window.col + (i % window.width) + 0.5;
      const row = window.row + Math.floor(i / window.width) + 0.5;
      const at = levelAt(surface, col, row);
      level[i] = at.level;
      spread[i] = at.spread;
      depth[i] = Math.max(0, at.level - heights[i]!);
    }
  }
  return [level, spread, depth];
}

/** Depths of a range: blocks to be kept, sums by class and zone, and sums by runs of cells. */
async function measureRange(seq: number, params: DepthParams, ctx: RangeContext) {
  const evaluator = evaluatorFor(ctx);
  const bodies = await bodiesOf(params, ctx);
  const surfaces = surfacesFrom(await ctx.states.get(keyOf(params, "surfaces")));
  const range = rangesOf(params)[seq]!;
  const areas = cellAreas(params.info.grid);
  const tally = new DepthTally(params.zones.length + 1);
  const { grid } = params.info;
  const numbersAt = numbersOfImage(params.patchImageId, grid, ctx);
  const sums = new StripSums(grid.width, LAYERS, numbersAt);
  const wet = new Set(params.wet);
  const blocks: StoredBlock[] = [];
  const windows = blockWindows(params.info.grid, range);
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const labels = await labelsIn(evaluator, params, window);
    const isWet = labels.some((label) => wet.has(label));
    const heights = isWet
      ? await heightsIn(evaluator, params, window)
      : new Float32Array(labels.length).fill(NaN);
    const layers = depthsIn(window, bodies, surfaces, heights);
    await sums.add(labels, isWet ? layers : null, window);
    if (isWet) {
      tally.add(
        labels,
        wet,
        layers[2],
        zoneCells(params.zones, params.info.grid, window),
        window,
        areas,
      );
    }
    const [row, col] = [window.row / BLOCK, window.col / BLOCK];
    blocks.push({ level: 0, row, col, band: 0, cells: layers[2] });
    ctx.progress((k + 1) / windows.length);
  }
  const key = keyOf(params, `sums/${seq}`);
  await ctx.states.remove([key]);
  await ctx.states.put(key, { sums: sums.finish() });
  return {
    result: tally.toJSON(),
    write: async (client: Client) => {
      await removeBlocks(client, params.imageId, 0, range.from, range.to);
      await writeBlocks(client, params.imageId, blocks);
    },
  };
}

/** Level and depth of all patches that are under water. */
async function measurePatches(params: DepthParams, ctx: RangeContext) {
  const { mapImageId, patchImageId, mapInfo, setup } = params;
  const cut = { imageId: mapImageId, patchImageId, info: mapInfo, setup };
  const image = await patchedImage(cut, ctx);
  const parts = await Promise.all(
    rangesOf(params).map(async (_range, seq) =>
      sumsFrom(await ctx.states.get(keyOf(params, `sums/${seq}`))),
    ),
  );
  const means = patchMeans(image.runs, image.labelling, joined(parts), LAYERS);
  const numbers = [...numbersOf(image)].filter((number) => number > 0);
  const patches = numbers.flatMap((number, k): PatchDepth[] => {
    const [level, spread, depth] = means.subarray(k * LAYERS, (k + 1) * LAYERS);
    return Number.isFinite(depth)
      ? [{ number, level: level!, spread: spread!, depth: depth! }]
      : [];
  });
  return { write: (client: Client) => writePatchDepth(client, params.changeMapId, patches) };
}

function mergedSums(params: DepthParams, parts: readonly DepthSums[]): DepthSums {
  const tally = new DepthTally(params.zones.length + 1);
  parts.forEach((part) => tally.merge(part));
  return tally.toJSON();
}

/** Takes away what a run leaves of a map that is not there any more, or was not finished. */
async function takeAway(client: Client, params: DepthParams): Promise<void> {
  await deleteImage(client, params.imageId);
  await deleteStates(client, keyOf(params, ""));
}

/** Measures how high the water of a flood stands, and how deep it is, by the heights along its shores. */
export const measureDepth: RunKind<DepthParams> = {
  phases: (params) => [
    { name: "Heights along the shores", weight: 2 },
    { name: "Depth of every cell", weight: 3 },
    ...Array.from({ length: levelsOf(params) - 1 }, (_v, k) => ({
      ...{ name: "Overviews", weight: 0.5 / 4 ** k },
    })),
    { name: "Depth of patches", weight: 1 },
  ],
  async ranges(phase, params) {
    if (phase === SHORES || phase === patchPhase(params)) {
      return [1];
    }
    const ranges = phase === CELLS ? rangesOf(params) : levelRanges(params.info, phase - CELLS);
    return ranges.map(({ cells }) => cells);
  },
  async work(phase, seq, params, ctx) {
    if (phase === SHORES) {
      await findSurfaces(params, ctx);
      return {};
    }
    if (phase === CELLS) {
      return measureRange(seq, params, ctx);
    }
    if (phase === patchPhase(params)) {
      return measurePatches(params, ctx);
    }
    const { imageId, info } = params;
    const range = levelRanges(info, phase - CELLS)[seq]!;
    return { write: await buildLevel(ctx.db, imageId, info, phase - CELLS, range, ctx.signal) };
  },
  async finish(params, results, client, run) {
    const { changeMapId, imageId, name, flooded, wet } = params;
    const sums = mergedSums(params, await results<DepthSums>(CELLS));
    await finishImage(client, imageId, { statistics: null, histograms: null, looks: null });
    if (!(await setMapDepth(client, changeMapId, { imageId, sums, flooded, wet }))) {
      await deletePatchDepth(client, changeMapId);
      await takeAway(client, params);
      return {};
    }
    const told = { changeMap: changeMapId, name, flooded, wet };
    await addToLedger(client, run.studyId!, "Depth measured", told);
    await deleteStates(client, keyOf(params, ""));
    await touchStudy(client, run.studyId!);
    return { changeMapId };
  },
  discard: (params, client) => takeAway(client, params),
};
