import { appearanceFrom, doubtIn, imagesOf, samplesIn } from "@hindglance/core/doubt/mapDoubt";
import type { Appearance } from "@hindglance/core/doubt/appearance";
import { DoubtTally, type DoubtSums } from "@hindglance/core/doubt/areas";
import { certaintyOf } from "@hindglance/core/doubt/probabilities";
import type { DoubtPlan } from "@hindglance/core/doubt/plan";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, sourceNode } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Window, levelCount } from "@hindglance/core/grid/grid";
import { type StoredBlock, removeBlocks, writeBlocks } from "../db/blocks";
import { deletePatchDoubt, setMapDoubt, writePatchDoubt } from "../db/doubt";
import { createImage, deleteImage, finishImage } from "../db/images";
import { deleteStates } from "../db/nodes";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import type { Submit } from "../products/plans";
import { type ZonePolygons, zoneCells } from "../products/zonePolygons";
import { appearanceIn, appearanceState, samplesFrom, samplesState } from "./doubtStates";
import type { RangeContext, RunKind } from "./kind";
import { RANGE_CELLS, evaluatorFor } from "./mapPhases";
import { DoubtRuns, doubtOfPatches } from "./patchDoubt";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { type RowRange, blockWindows, rowRanges } from "./ranges";

/** What a run that counts the doubt of a map is told. */
export interface DoubtParams extends DoubtPlan {
  changeMapId: string;
  name: string;
  /** The map as it was written. */
  mapImageId: string;
  /** Numbers of patches that somebody gave an outline, where the map has any. */
  patchImageId?: string | null;
  mapInfo: ImageInfo;
  setup: ChangeSetup;
  zones: ZonePolygons;
  /** Of the probability that each cell is of the class that the map says. */
  imageId: string;
  info: ImageInfo;
}

const DRAWING = 0;
const FITTING = 1;
const CELLS = 2;

const levelsOf = ({ info: { grid } }: DoubtParams) => levelCount(grid.width, grid.height);
const patchPhase = (params: DoubtParams) => CELLS + levelsOf(params);
const rangesOf = ({ info: { grid } }: DoubtParams): RowRange[] =>
  rowRanges(grid.width, grid.height, RANGE_CELLS);
const mapNode = ({ mapImageId }: DoubtParams): NodeSpec => sourceNode(mapImageId);
const keyOf = ({ imageId }: DoubtParams, what: string) => `doubt/${imageId}/${what}`;

/** Blocks of a map that looks of classes are drawn from, about; of a larger one every second, third … */
const MOST_BLOCKS = 200;

/** The windows of a range that are drawn from: all of a small map, every second, third … of a large one. */
function drawnFrom(params: DoubtParams, range: RowRange): Window[] {
  const { width, height } = params.info.grid;
  const blocks = Math.ceil(width / BLOCK) * Math.ceil(height / BLOCK);
  const every = Math.ceil(blocks / MOST_BLOCKS);
  return blockWindows(params.info.grid, range).filter(
    ({ col, row }) => ((col + row) / BLOCK) % every === 0,
  );
}

/** Draws cells of every class in a range. */
async function draw(seq: number, params: DoubtParams, ctx: RangeContext): Promise<void> {
  const evaluator = evaluatorFor(ctx);
  const windows = drawnFrom(params, rangesOf(params)[seq]!);
  for (const [k, image] of imagesOf(params.from, mapNode(params)).entries()) {
    const key = keyOf(params, `samples/${k}/${seq}`);
    const samples = await samplesIn(evaluator, image, windows);
    ctx.signal.throwIfAborted();
    await ctx.states.remove([key]);
    await ctx.states.put(key, samplesState(samples));
  }
}

/** Finds how the classes look from what was drawn. @throws AppError where nothing can be told */
async function fit(params: DoubtParams, ctx: RangeContext): Promise<void> {
  const evaluator = evaluatorFor(ctx);
  const ranges = rangesOf(params);
  for (const [k, { values }] of imagesOf(params.from, mapNode(params)).entries()) {
    const { bands } = await evaluator.info(values);
    const parts = await Promise.all(
      ranges.map(async (_range, seq) =>
        samplesFrom(await ctx.states.get(keyOf(params, `samples/${k}/${seq}`))),
      ),
    );
    const appearance = appearanceFrom(parts, bands.length);
    if (!appearance) {
      throw new AppError(
        422,
        "noDoubt",
        `No cell of ${params.name} has a value on both dates: its doubt cannot be told`,
      );
    }
    const key = keyOf(params, `appearance/${k}`);
    await ctx.states.remove([key]);
    await ctx.states.put(key, appearanceState(appearance));
  }
}

const appearancesOf = (params: DoubtParams, ctx: RangeContext): Promise<Appearance[]> =>
  Promise.all(
    imagesOf(params.from, mapNode(params)).map(async (_image, k) =>
      appearanceIn(await ctx.states.get(keyOf(params, `appearance/${k}`))),
    ),
  );

/** Steps in which probabilities are kept: a thousandth tells as much and takes a third of the room. */
const STEPS = 1000;

const stepped = (cells: Float32Array): Float32Array =>
  cells.map((value) => Math.round(value * STEPS) / STEPS);

/** Probabilities of a range: blocks to be kept, sums by class and zone, and sums by runs of cells. */
async function count(seq: number, params: DoubtParams, ctx: RangeContext) {
  const evaluator = evaluatorFor(ctx);
  const appearances = await appearancesOf(params, ctx);
  const windows = blockWindows(params.info.grid, rangesOf(params)[seq]!);
  const areas = cellAreas(params.info.grid);
  const tally = new DoubtTally(params.zones.length + 1);
  const runs = new DoubtRuns(params, evaluator, ctx);
  const blocks: StoredBlock[] = [];
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const found = await doubtIn(
      evaluator,
      { from: params.from, map: mapNode(params) },
      appearances,
      window,
    );
    const { labels, classes, probabilities } = found;
    tally.add(
      classes,
      probabilities,
      zoneCells(params.zones, params.info.grid, window),
      window,
      areas,
    );
    const certainty = certaintyOf(labels, classes, probabilities);
    await runs.add(labels, certainty, window);
    const [row, col] = [window.row / BLOCK, window.col / BLOCK];
    blocks.push({ level: 0, row, col, band: 0, cells: stepped(certainty) });
    ctx.progress((k + 1) / windows.length);
  }
  return { blocks, sums: tally.toJSON(), runs: runs.finish() };
}

const sumsKey = (params: DoubtParams, seq: number) => keyOf(params, `sums/${seq}`);

async function countRange(seq: number, params: DoubtParams, ctx: RangeContext) {
  const range = rangesOf(params)[seq]!;
  const { blocks, sums, runs } = await count(seq, params, ctx);
  await ctx.states.remove([sumsKey(params, seq)]);
  await ctx.states.put(sumsKey(params, seq), { sums: runs });
  return {
    result: sums,
    write: async (client: Client) => {
      await removeBlocks(client, params.imageId, 0, range.from, range.to);
      await writeBlocks(client, params.imageId, blocks);
    },
  };
}

/** Doubt of all patches, from what was summed range by range. */
async function countPatches(params: DoubtParams, ctx: RangeContext) {
  const parts = await Promise.all(
    rangesOf(params).map((_range, seq) => ctx.states.get(sumsKey(params, seq))),
  );
  const patches = await doubtOfPatches(params, parts, ctx);
  return { write: (client: Client) => writePatchDoubt(client, params.changeMapId, patches) };
}

function mergedSums(params: DoubtParams, parts: readonly DoubtSums[]): DoubtSums {
  const tally = new DoubtTally(params.zones.length + 1);
  parts.forEach((part) => tally.merge(part));
  return tally.toJSON();
}

const forgetStates = (client: Client, params: DoubtParams) =>
  deleteStates(client, keyOf(params, ""));

/** Takes away what a run leaves of a map that is not there any more, or was not finished. */
async function takeAway(client: Client, params: DoubtParams): Promise<void> {
  await deletePatchDoubt(client, params.changeMapId);
  await deleteImage(client, params.imageId);
  await forgetStates(client, params);
}

/** Counts the doubt of a map: how its classes look, the probability of every cell, patch by patch. */
export const countDoubt: RunKind<DoubtParams> = {
  phases: (params) => [
    { name: "Looking at each class", weight: 2 },
    { name: "Telling them apart", weight: 0.5 },
    { name: "Doubt of every cell", weight: 4 },
    ...Array.from({ length: levelsOf(params) - 1 }, (_v, k) => ({
      ...{ name: "Overviews", weight: 0.5 / 4 ** k },
    })),
    { name: "Doubt of patches", weight: 1 },
  ],
  async ranges(phase, params) {
    if (phase === FITTING || phase === patchPhase(params)) {
      return [1];
    }
    const ranges = phase <= CELLS ? rangesOf(params) : levelRanges(params.info, phase - CELLS);
    return ranges.map(({ cells }) => cells);
  },
  async work(phase, seq, params, ctx) {
    if (phase === DRAWING) {
      await draw(seq, params, ctx);
      return {};
    }
    if (phase === FITTING) {
      await fit(params, ctx);
      return {};
    }
    if (phase === CELLS) {
      return countRange(seq, params, ctx);
    }
    if (phase === patchPhase(params)) {
      return countPatches(params, ctx);
    }
    const { imageId, info } = params;
    const range = levelRanges(info, phase - CELLS)[seq]!;
    return { write: await buildLevel(ctx.db, imageId, info, phase - CELLS, range, ctx.signal) };
  },
  async finish(params, results, client, run) {
    const sums = mergedSums(params, await results<DoubtSums>(CELLS));
    await finishImage(client, params.imageId, { statistics: null, histograms: null, looks: null });
    const others = params.others.map(({ node: _node, ...other }) => other);
    const { changeMapId, imageId, name } = params;
    const isThere = await setMapDoubt(client, changeMapId, { imageId, sums, others });
    if (!isThere) {
      await takeAway(client, params);
      return {};
    }
    await addToLedger(client, run.studyId!, "Doubt counted", { changeMap: changeMapId, name });
    await forgetStates(client, params);
    await touchStudy(client, run.studyId!);
    return { changeMapId };
  },
  discard: (params, client) => takeAway(client, params),
};

/** Begins to count the doubt of a map that was just written. */
export async function submitDoubt(
  client: Client,
  submit: Submit,
  studyId: string,
  map: Omit<DoubtParams, keyof DoubtPlan | "imageId" | "info">,
  plan: DoubtPlan,
): Promise<string> {
  const { grid } = map.mapInfo;
  const info: ImageInfo = {
    ...{ grid, type: "float32" },
    bands: [{ name: "certainty", unit: "", role: "value", range: [0, 1] }],
  };
  const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
  const params: DoubtParams = { ...map, ...plan, imageId, info };
  return submit({ studyId, kind: "countDoubt", title: `Doubt of ${map.name}`, params });
}
