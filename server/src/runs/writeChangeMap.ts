import type { ChangeSetup } from "@hindglance/core/change/setup";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Grid, levelCount, toMap } from "@hindglance/core/grid/grid";
import { polygonise } from "@hindglance/core/patches/polygonise";
import { RunSums, patchMeans, perimeterM } from "@hindglance/core/patches/facts";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { ahead } from "@hindglance/core/graph/ahead";
import { RunsBuilder } from "@hindglance/core/patches/runs";
import { labelRuns } from "@hindglance/core/patches/label";
import type { TallyData } from "@hindglance/core/tally/tally";
import { patchGeometry } from "@hindglance/formats/tables/geojson";
import { findTally } from "../db/nodes";
import { type StoredBlock, blockWindow, readBlocks, removeBlocks, writeBlocks } from "../db/blocks";
import { type Patch, type Provenance, createChangeMap, writePatches } from "../db/changeMaps";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import type { RangeContext, RunKind } from "./engine";
import {
  type ZonePolygons,
  RANGE_CELLS,
  countedRows,
  evaluatorFor,
  gatherPhases,
  mergeTallies,
} from "./mapPhases";
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
  provenance: Provenance;
}

const levels = (p: ChangeMapParams) => levelCount(p.info.grid.width, p.info.grid.height);
const cellPhase = (p: ChangeMapParams) => gatherPhases(p.node).plan.length;
const patchPhase = (p: ChangeMapParams) => cellPhase(p) + levels(p);
/**
 * Patches beyond this number say that the map is noise; the figure keeps a run's memory within its
 * bound.
 */
const MAX_PATCHES = 2_000_000;

/** Writes a change map: labels with overviews, the tally by zone, the patches as polygons. */
export const writeChangeMap: RunKind<ChangeMapParams> = {
  phases: (p) => [
    ...gatherPhases(p.node).plan,
    { name: "Classifying", weight: 4 },
    ...Array.from({ length: levels(p) - 1 }, (_v, i) => ({
      name: "Overviews",
      weight: 0.5 / 4 ** i,
    })),
    { name: "Patches", weight: 1.5 },
  ],
  async ranges(phase, p, c) {
    const cells = cellPhase(p);
    if (phase < cells) {
      return gatherPhases(p.node).ranges(phase, p.info, c);
    }
    if (phase === patchPhase(p)) {
      return [1];
    }
    if (phase === cells) {
      return rowRanges(p.info.grid.width, p.info.grid.height, RANGE_CELLS).map((r) => r.cells);
    }
    return levelRanges(p.info, phase - cells).map((r) => r.cells);
  },
  async work(phase, seq, p, ctx, run) {
    const cells = cellPhase(p);
    if (phase < cells) {
      return gatherPhases(p.node).work(phase, seq, p.info, ctx);
    }
    if (phase === cells) {
      const range = rowRanges(p.info.grid.width, p.info.grid.height, RANGE_CELLS)[seq]!;
      const { tally, blocks } = await countedRows(
        p.node,
        p.stages,
        range,
        p.zones,
        ctx,
        true,
        p.nodeHash,
        run.id,
      );
      await ctx.states.remove([sumsKey(p, seq)]);
      await ctx.states.put(sumsKey(p, seq), { sums: await runSums(p, blocks, range, ctx) });
      return {
        result: tally,
        write: async (c) => {
          await removeBlocks(c, p.imageId, 0, range.from, range.to);
          await writeBlocks(c, p.imageId, blocks);
        },
      };
    }
    if (phase < patchPhase(p)) {
      return {
        write: await buildLevel(
          ctx.db,
          p.imageId,
          p.info,
          phase - cells,
          levelRanges(p.info, phase - cells)[seq]!,
          ctx.signal,
        ),
      };
    }
    const patches = await patchesOf(p, ctx);
    return { write: (c) => writePatches(c, p.changeMapId, patches) };
  },
  async finish(p, results, c, run) {
    await finishImage(c, p.imageId, { statistics: null, histograms: null, looks: null });
    const counted = mergeTallies(await results<TallyData>(cellPhase(p)));
    const limits =
      counted.limits ??
      (await gatherPhases(p.node).effects(results, c)) ??
      (await findTally(c, p.nodeHash))?.limits;
    const tally = { ...counted, ...(limits ? { limits } : {}) };
    await createChangeMap(c, {
      id: p.changeMapId,
      studyId: run.studyId!,
      name: p.name,
      imageId: p.imageId,
      nodeHash: p.nodeHash,
      setup: p.setup,
      provenance: p.provenance,
      tally,
    });
    await addToLedger(c, run.studyId!, "Change map written", {
      changeMap: p.changeMapId,
      name: p.name,
      node: p.nodeHash,
      before: p.provenance.before.name,
      after: p.provenance.after.name,
      setup: p.setup,
    });
    await forgetSums(c, p);
    await touchStudy(c, run.studyId!);
    return { changeMapId: p.changeMapId };
  },
  async discard(p, c) {
    await c.query("DELETE FROM patch WHERE change_map_id = $1", [p.changeMapId]);
    await deleteImage(c, p.imageId);
    await forgetSums(c, p);
  },
};

const sumsKey = (p: ChangeMapParams, seq: number): string => `sums/${p.imageId}/${seq}`;
const forgetSums = (c: Client, p: ChangeMapParams): Promise<unknown> =>
  c.query("DELETE FROM node_state WHERE key LIKE $1", [`sums/${p.imageId}/%`]);
/** Layers whose means patches have: the measure, and elevation where there is some. */
const FACTS = 2;
/**
 * Sums of measure and elevation over the runs of a range, so that no patch needs its cells again.
 * Blocks without a class are not computed.
 */
async function runSums(
  p: ChangeMapParams,
  blocks: readonly StoredBlock[],
  range: RowRange,
  ctx: RangeContext,
): Promise<Float64Array> {
  const e = evaluatorFor(ctx);
  const gated = await e.info(p.gated);
  const elevation = gated.bands.findIndex((b) => b.name === "elevation");
  const { width, height } = p.info.grid;
  const out = new RunSums();
  for (let row = range.from; row < range.to; row++) {
    ctx.signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK);
    const labels = new Uint8Array(width * h);
    const layers = [new Float32Array(width * h).fill(NaN), new Float32Array(width * h).fill(NaN)];
    const mine = blocks.filter((b) => b.row === row);
    const busy = mine.filter((b) =>
      (b.cells as Uint8Array).some((v) => v !== 0 && v !== CLASS_NODATA),
    );
    const put = <T extends Uint8Array | Float32Array>(from: T, to: T, b: StoredBlock) => {
      const w = Math.min(BLOCK, width - b.col * BLOCK);
      for (let r = 0; r < h; r++) {
        to.set(from.subarray(r * w, (r + 1) * w), r * width + b.col * BLOCK);
      }
    };
    for (const b of mine) {
      put(b.cells as Uint8Array, labels, b);
    }
    await ahead(
      busy.length,
      (k) => e.read(p.gated, 0, blockWindow(row, busy[k]!.col, width, height)),
      (block, k) => {
        put(block.bands[2] as Float32Array, layers[0]!, busy[k]!);
        if (elevation >= 0) {
          put(block.bands[elevation] as Float32Array, layers[1]!, busy[k]!);
        }
      },
    );
    for (let r = 0; r < h; r++) {
      out.addRow(
        labels.subarray(r * width, (r + 1) * width),
        layers.map((l) => l.subarray(r * width, (r + 1) * width)),
      );
    }
  }
  return out.finish();
}

/** Patches of a stored class image, largest first. */
async function patchesOf(
  p: ChangeMapParams,
  { db, signal, states }: RangeContext,
): Promise<Patch[]> {
  const { width, height } = p.info.grid;
  const across = Math.ceil(width / BLOCK);
  const builder = new RunsBuilder(width, height);
  for (let row = 0; row * BLOCK < height; row++) {
    signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK);
    const strip = new Uint8Array(width * h);
    for (const b of await db.withClient((c) =>
      readBlocks(c, p.imageId, 0, row, row + 1, 0, across),
    )) {
      const w = Math.min(BLOCK, width - b.col * BLOCK);
      for (let r = 0; r < h; r++) {
        strip.set((b.cells as Uint8Array).subarray(r * w, (r + 1) * w), r * width + b.col * BLOCK);
      }
    }
    for (let r = 0; r < h; r++) {
      builder.addRow(strip.subarray(r * width, (r + 1) * width));
    }
  }
  const runs = builder.finish();
  const neighbours = p.setup.limits.neighbours;
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
    rowRanges(width, height, RANGE_CELLS).map((_r, k) => states.get(sumsKey(p, k))),
  );
  const sums = new Float64Array(parts.reduce((n, x) => n + (x!.sums as Float64Array).length, 0));
  parts.reduce((at, x) => {
    sums.set(x!.sums as Float64Array, at);
    return at + (x!.sums as Float64Array).length;
  }, 0);
  // Degrees of a direction have no plain mean: 350 and 10 are not 180.
  const round = p.setup.measure === "changeDirection";
  const means = patchMeans(runs, labelling, sums, FACTS);
  const mean = (k: number) => (Number.isFinite(means[k]!) ? means[k]! : null);
  return polygonise(runs, neighbours, cellAreas(p.info.grid))
    .map((s, i) => ({ s, measure: round ? null : mean(i * FACTS), elevation: mean(i * FACTS + 1) }))
    .sort((a, b) => b.s.cells - a.s.cells)
    .map(({ s, measure, elevation }, i) => ({
      number: i + 1,
      label: s.label,
      cells: s.cells,
      areaM2: s.areaM2,
      perimeterM: perimeterM(s, p.info.grid),
      measure,
      elevation,
      ...bounds(
        s.polygons.flatMap((poly) => poly[0]!),
        p.info.grid,
      ),
      geometry: JSON.stringify(patchGeometry(s, p.info.grid)),
    }));
}

function bounds(
  points: [number, number][],
  g: Grid,
): { west: number; south: number; east: number; north: number } {
  const t = transformer(g.crs, LONLAT);
  let c0 = Infinity;
  let c1 = -Infinity;
  let r0 = Infinity;
  let r1 = -Infinity;
  for (const [c, r] of points) {
    c0 = Math.min(c0, c);
    c1 = Math.max(c1, c);
    r0 = Math.min(r0, r);
    r1 = Math.max(r1, r);
  }
  const corners = (
    [
      [c0, r0],
      [c1, r0],
      [c1, r1],
      [c0, r1],
    ] as const
  ).map(([c, r]) => t(...toMap(g, c, r)));
  const lon = corners.map((x) => x[0]);
  const lat = corners.map((x) => x[1]);
  return {
    west: Math.min(...lon),
    south: Math.min(...lat),
    east: Math.max(...lon),
    north: Math.max(...lat),
  };
}
