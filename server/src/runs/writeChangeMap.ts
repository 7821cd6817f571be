import type { ZonePolygons } from "../products/zonePolygons";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import { BLOCK, levelCount } from "@hindglance/core/grid/grid";
import { RunSums } from "@hindglance/core/patches/facts";
import { CLASS_NODATA, realCells, labelCells } from "@hindglance/core/raster/block";
import { ahead } from "@hindglance/core/graph/ahead";
import type { TallyData } from "@hindglance/core/tally/tally";
import { findTally, deleteStates } from "../db/nodes";
import { type StoredBlock, blockWindow, removeBlocks, writeBlocks } from "../db/blocks";
import { type Provenance, createChangeMap, writePatches, deletePatches } from "../db/changeMaps";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { inheritVerdicts } from "../db/verdicts";
import { type AskedSecond, type DoubtPlan, MEASURE_BAND } from "@hindglance/core/doubt/plan";
import { submitConfirmed } from "./countConfirmed";
import { submitDoubt } from "./countDoubt";
import type { RangeContext, RunKind } from "./kind";
import { type Inheritance, inheritanceOf, patchedImage, patchesOf } from "./mapPatches";
import { RANGE_CELLS, countedRows, evaluatorFor, GatherPhases, mergeTallies } from "./mapPhases";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { type RowRange, rowRanges } from "./ranges";

export interface ChangeMapParams {
  changeMapId: string;
  imageId: string;
  name: string;
  /** All stages of the map; the last is the map itself. */ node: NodeSpec;
  stages: ImageInfo;
  /** Both dates, measure and layers, where they count. */ gated: NodeSpec;
  nodeHash: string;
  info: ImageInfo;
  setup: ChangeSetup;
  zones: ZonePolygons;
  /** What its doubt is counted from once it is written; null where it cannot be told. */
  doubt: DoubtPlan | null;
  /** What a second sensor is asked about it; absent where none is. */
  second?: AskedSecond | null;
  provenance: Provenance;
}

const levels = (params: ChangeMapParams) =>
  levelCount(params.info.grid.width, params.info.grid.height);
const cellPhase = (params: ChangeMapParams) => new GatherPhases(params.node).plan.length;
const patchPhase = (params: ChangeMapParams) => cellPhase(params) + levels(params);

/** Writes a change map: labels with overviews, the tally by zone, the patches as polygons. */
export const writeChangeMap: RunKind<ChangeMapParams> = {
  phases: (params) => [
    ...new GatherPhases(params.node).plan,
    { name: "Classifying", weight: 4 },
    ...Array.from({ length: levels(params) - 1 }, (_v, i) => ({
      name: "Overviews",
      weight: 0.5 / 4 ** i,
    })),
    { name: "Patches", weight: 1.5 },
  ],
  async ranges(phase, params, client) {
    const cells = cellPhase(params);
    if (phase < cells) {
      return new GatherPhases(params.node).ranges(phase, params.info, client);
    }
    if (phase === patchPhase(params)) {
      return [1];
    }
    if (phase === cells) {
      return rowRanges(params.info.grid.width, params.info.grid.height, RANGE_CELLS).map(
        (rowRange) => rowRange.cells,
      );
    }
    return levelRanges(params.info, phase - cells).map((rowRange) => rowRange.cells);
  },
  async work(phase, seq, params, ctx, run) {
    const cells = cellPhase(params);
    if (phase < cells) {
      return new GatherPhases(params.node).work(phase, seq, params.info, ctx);
    }
    if (phase === cells) {
      const range = rowRanges(params.info.grid.width, params.info.grid.height, RANGE_CELLS)[seq]!;
      const { tally, blocks } = await countedRows(
        params.node,
        params.stages,
        range,
        params.zones,
        ctx,
        true,
        params.nodeHash,
        run.id,
      );
      await ctx.states.remove([sumsKey(params, seq)]);
      await ctx.states.put(sumsKey(params, seq), {
        sums: await runSums(params, blocks, range, ctx),
      });
      return {
        result: tally,
        write: async (client) => {
          await removeBlocks(client, params.imageId, 0, range.from, range.to);
          await writeBlocks(client, params.imageId, blocks);
        },
      };
    }
    if (phase < patchPhase(params)) {
      return {
        write: await buildLevel(
          ctx.db,
          params.imageId,
          params.info,
          phase - cells,
          levelRanges(params.info, phase - cells)[seq]!,
          ctx.signal,
        ),
      };
    }
    const image = await patchedImage(params, ctx);
    const patches = patchesOf(params, image, await allSums(params, ctx));
    const inheritance = await inheritanceOf(params, image, run.studyId!, ctx);
    return {
      result: { inheritance },
      write: (client) => writePatches(client, params.changeMapId, patches),
    };
  },
  async finish(params, results, client, run, { submit }) {
    await finishImage(client, params.imageId, { statistics: null, histograms: null, looks: null });
    const counted = mergeTallies(await results<TallyData>(cellPhase(params)));
    const limits =
      counted.limits ??
      (await new GatherPhases(params.node).effects(results, client)) ??
      (await findTally(client, params.nodeHash))?.limits;
    const tally = { ...counted, ...(limits ? { limits } : {}) };
    await createChangeMap(client, {
      id: params.changeMapId,
      studyId: run.studyId!,
      name: params.name,
      imageId: params.imageId,
      nodeHash: params.nodeHash,
      setup: params.setup,
      provenance: params.provenance,
      tally,
      madeFrom: {
        ...{ gated: params.gated, doubt: params.doubt, second: params.second ?? null },
        stages: params.node,
      },
      edited: null,
      patchImageId: null,
    });
    const inherited = await takeOver(params, results, client);
    await addToLedger(client, run.studyId!, "Change map written", {
      ...(inherited ? { verdictsTakenOver: inherited } : {}),
      changeMap: params.changeMapId,
      name: params.name,
      node: params.nodeHash,
      ...params.provenance.scenes,
      ...(params.provenance.warnings ? { warnings: params.provenance.warnings } : {}),
      program: params.provenance.program,
      before: params.provenance.before.name,
      after: params.provenance.after.name,
      setup: params.setup,
    });
    await forgetSums(client, params);
    await touchStudy(client, run.studyId!);
    const { changeMapId, name, imageId: mapImageId, info: mapInfo, setup, zones } = params;
    const map = { changeMapId, name, mapImageId, mapInfo, setup, zones };
    if (params.doubt) {
      await submitDoubt(client, submit, run.studyId!, map, params.doubt);
    }
    await submitConfirmed(submit, run.studyId!, map, params.second);
    return { changeMapId: params.changeMapId };
  },
  async discard(params, client) {
    await deletePatches(client, params.changeMapId);
    await deleteImage(client, params.imageId);
    await forgetSums(client, params);
  },
};

/** Gives patches the verdicts of those of an earlier map on which they lie; of how many. */
async function takeOver(
  params: ChangeMapParams,
  results: <T>(phase: number) => Promise<T[]>,
  client: Client,
): Promise<number> {
  const [found] = await results<{ inheritance: Inheritance | null } | null>(patchPhase(params));
  return found?.inheritance ? inheritVerdicts(client, params.changeMapId, found.inheritance) : 0;
}

const sumsKey = (params: ChangeMapParams, seq: number): string => `sums/${params.imageId}/${seq}`;
/** @throws Error where what was gathered is not there: its range has not run */
function sumsIn(state: StepState | null): Float64Array {
  if (!(state?.sums instanceof Float64Array)) {
    throw new Error("The sums of a range are not stored");
  }
  return state.sums;
}
/** Sums of all ranges of a map, one after the other. */
async function allSums(params: ChangeMapParams, { states }: RangeContext): Promise<Float64Array> {
  const { width, height } = params.info.grid;
  const parts = await Promise.all(
    rowRanges(width, height, RANGE_CELLS).map(async (_r, k) =>
      sumsIn(await states.get(sumsKey(params, k))),
    ),
  );
  const sums = new Float64Array(parts.reduce((n, part) => n + part.length, 0));
  parts.reduce((at, part) => {
    sums.set(part, at);
    return at + part.length;
  }, 0);
  return sums;
}
const forgetSums = (client: Client, params: ChangeMapParams): Promise<unknown> =>
  deleteStates(client, `sums/${params.imageId}/`);
/**
 * Sums of measure and elevation over the runs of a range, so that no patch needs its cells again.
 * Blocks without a class are not computed.
 */
async function runSums(
  params: ChangeMapParams,
  blocks: readonly StoredBlock[],
  range: RowRange,
  ctx: RangeContext,
): Promise<Float64Array> {
  const evaluator = evaluatorFor(ctx);
  const gated = await evaluator.info(params.gated);
  const elevation = gated.bands.findIndex((band) => band.name === "elevation");
  const { width, height } = params.info.grid;
  const out = new RunSums();
  for (let row = range.from; row < range.to; row++) {
    ctx.signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK);
    const labels = new Uint8Array(width * h);
    const layers = [new Float32Array(width * h).fill(NaN), new Float32Array(width * h).fill(NaN)];
    const mine = blocks.filter((block) => block.row === row);
    const busy = mine.filter((storedBlock) =>
      labelCells(storedBlock.cells).some((value) => value !== 0 && value !== CLASS_NODATA),
    );
    const put = <T extends Uint8Array | Float32Array>(from: T, to: T, storedBlock: StoredBlock) => {
      const w = Math.min(BLOCK, width - storedBlock.col * BLOCK);
      for (let r = 0; r < h; r++) {
        to.set(from.subarray(r * w, (r + 1) * w), r * width + storedBlock.col * BLOCK);
      }
    };
    for (const storedBlock of mine) {
      put(labelCells(storedBlock.cells), labels, storedBlock);
    }
    await ahead(
      busy.length,
      (k) => evaluator.read(params.gated, 0, blockWindow(row, busy[k]!.col, width, height)),
      (block, k) => {
        put(realCells(block.bands[MEASURE_BAND]!), layers[0]!, busy[k]!);
        if (elevation >= 0) {
          put(realCells(block.bands[elevation]!), layers[1]!, busy[k]!);
        }
      },
    );
    for (let r = 0; r < h; r++) {
      out.addRow(
        labels.subarray(r * width, (r + 1) * width),
        layers.map((layer) => layer.subarray(r * width, (r + 1) * width)),
      );
    }
  }
  return out.finish();
}
