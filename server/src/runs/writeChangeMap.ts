import type { ZonePolygons } from "../products/zonePolygons";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { StepState } from "@hindglance/core/graph/step";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, levelCount } from "@hindglance/core/grid/grid";
import { boundsOnGlobe } from "@hindglance/core/patches/boundsOnGlobe";
import { polygonise } from "@hindglance/core/patches/polygonise";
import { RunSums, patchMeans, patchZones, perimeterM } from "@hindglance/core/patches/facts";
import { CLASS_NODATA, realCells, labelCells } from "@hindglance/core/raster/block";
import { ahead } from "@hindglance/core/graph/ahead";
import { RunsBuilder } from "@hindglance/core/patches/runs";
import { rasterise } from "@hindglance/core/vector/rasterise";
import { labelRuns } from "@hindglance/core/patches/label";
import type { TallyData } from "@hindglance/core/tally/tally";
import { patchGeometry } from "@hindglance/formats/tables/geojson";
import { findTally, deleteStates } from "../db/nodes";
import { type StoredBlock, blockWindow, readBlocks, removeBlocks, writeBlocks } from "../db/blocks";
import {
  type NewPatch,
  type Provenance,
  createChangeMap,
  writePatches,
  deletePatches,
} from "../db/changeMaps";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import type { RangeContext, RunKind } from "./kind";
import { RANGE_CELLS, countedRows, evaluatorFor, GatherPhases, mergeTallies } from "./mapPhases";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { type RowRange, rowRanges } from "./ranges";
import { measureOf } from "@hindglance/core/change/measures/all";

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
  provenance: Provenance;
}

const levels = (params: ChangeMapParams) =>
  levelCount(params.info.grid.width, params.info.grid.height);
const cellPhase = (params: ChangeMapParams) => new GatherPhases(params.node).plan.length;
const patchPhase = (params: ChangeMapParams) => cellPhase(params) + levels(params);
/**
 * Patches beyond this number say that the map is noise; the figure keeps a run's memory within its
 * bound.
 */
const MAX_PATCHES = 2_000_000;

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
    const patches = await patchesOf(params, ctx);
    return { write: (client) => writePatches(client, params.changeMapId, patches) };
  },
  async finish(params, results, client, run) {
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
    });
    await addToLedger(client, run.studyId!, "Change map written", {
      changeMap: params.changeMapId,
      name: params.name,
      node: params.nodeHash,
      before: params.provenance.before.name,
      after: params.provenance.after.name,
      setup: params.setup,
    });
    await forgetSums(client, params);
    await touchStudy(client, run.studyId!);
    return { changeMapId: params.changeMapId };
  },
  async discard(params, client) {
    await deletePatches(client, params.changeMapId);
    await deleteImage(client, params.imageId);
    await forgetSums(client, params);
  },
};

const sumsKey = (params: ChangeMapParams, seq: number): string => `sums/${params.imageId}/${seq}`;
/** @throws Error where what was gathered is not there: its range has not run */
function sumsIn(state: StepState | null): Float64Array {
  if (!(state?.sums instanceof Float64Array)) {
    throw new Error("The sums of a range are not stored");
  }
  return state.sums;
}
const forgetSums = (client: Client, params: ChangeMapParams): Promise<unknown> =>
  deleteStates(client, `sums/${params.imageId}/`);
/** Layers whose means patches have: the measure, and elevation where there is some. */
const FACTS = 2;
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
        put(realCells(block.bands[2]!), layers[0]!, busy[k]!);
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

/** The zone of each cell of a row, strip by strip; rows are asked for from the top. */
function zoneRows({ zones, info: { grid } }: ChangeMapParams): (row: number) => Uint16Array {
  const { width, height } = grid;
  let strip = { row: -1, zones: new Uint16Array(0) };
  return (row) => {
    const first = row - (row % BLOCK);
    if (strip.row !== first) {
      const window = { col: 0, row: first, width, height: Math.min(BLOCK, height - first) };
      strip = { row: first, zones: new Uint16Array(width * window.height) };
      zones.forEach(({ polygons }, k) => rasterise(polygons, grid, window, k + 1, strip.zones));
    }
    return strip.zones.subarray((row - first) * width, (row - first + 1) * width);
  };
}

/** Patches of a stored class image, largest first. */
async function patchesOf(
  params: ChangeMapParams,
  { db, signal, states }: RangeContext,
): Promise<NewPatch[]> {
  const { width, height } = params.info.grid;
  const across = Math.ceil(width / BLOCK);
  const builder = new RunsBuilder(width, height);
  for (let row = 0; row * BLOCK < height; row++) {
    signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK);
    const strip = new Uint8Array(width * h);
    for (const decodedBlock of await db.withClient((client) =>
      readBlocks(client, params.imageId, 0, row, row + 1, 0, across),
    )) {
      const w = Math.min(BLOCK, width - decodedBlock.col * BLOCK);
      for (let r = 0; r < h; r++) {
        strip.set(
          labelCells(decodedBlock.cells).subarray(r * w, (r + 1) * w),
          r * width + decodedBlock.col * BLOCK,
        );
      }
    }
    for (let r = 0; r < h; r++) {
      builder.addRow(strip.subarray(r * width, (r + 1) * width));
    }
  }
  const runs = builder.finish();
  const neighbours = params.setup.limits.neighbours;
  const labelling = labelRuns(runs, neighbours);
  const { count } = labelling;
  if (count > MAX_PATCHES) {
    throw new AppError(
      422,
      "tooManyPatches",
      `This map falls into ${count.toLocaleString("en")} patches, which is noise and not a map`,
      "setup.limits.minPatchCells",
      "Use a speckle filter or a larger minimum patch.",
    );
  }
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
  // Degrees of a direction have no plain mean: 350 and 10 are not 180.
  const round = measureOf(params.setup.measure).circular ?? false;
  const means = patchMeans(runs, labelling, sums, FACTS);
  const mean = (k: number) => (Number.isFinite(means[k]!) ? means[k]! : null);
  const areas = cellAreas(params.info.grid);
  const zones =
    params.zones.length > 0 ? patchZones({ runs, labelling }, zoneRows(params), areas) : [];
  return polygonise(runs, neighbours, areas)
    .map((shape, i) => ({
      s: shape,
      zones: zones[i] ?? [],
      measure: round ? null : mean(i * FACTS),
      elevation: mean(i * FACTS + 1),
    }))
    .sort((a, b) => b.s.cells - a.s.cells)
    .map(({ s: shape, zones: parts, measure, elevation }, i) => ({
      number: i + 1,
      label: shape.label,
      cells: shape.cells,
      areaM2: shape.areaM2,
      perimeterM: perimeterM(shape, params.info.grid),
      measure,
      elevation,
      zones: parts,
      ...boundsOnGlobe(
        shape.polygons.flatMap((poly) => poly[0]!),
        params.info.grid,
      ),
      geometry: JSON.stringify(patchGeometry(shape, params.info.grid)),
    }));
}
