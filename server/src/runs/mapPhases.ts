import { ahead } from "@hindglance/core/graph/ahead";
import { Evaluator, gatheringNodes, stripKey, stripsOf } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK } from "@hindglance/core/grid/grid";
import { runsOf } from "@hindglance/core/patches/runs";
import {
  type LimitEffect,
  addEffects,
  mergeEffects,
  noEffects,
} from "@hindglance/core/tally/effects";
import { Tally, type TallyData } from "@hindglance/core/tally/tally";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { rasterise } from "@hindglance/core/vector/rasterise";
import type { StoredBlock } from "../db/blocks";
import { blockWindow } from "../db/blocks";
import { findState, findTally, hasState } from "../db/nodes";
import type { Client } from "../db/pool";
import type { RangeContext } from "./engine";
import { type RowRange, rowRanges } from "./ranges";

import { labelCells } from "@hindglance/core/raster/block";
import { type PhasePlan, rangeResults } from "../db/runs";

/**
 * Zones in the coordinates of the map's grid; zone k of the list has number k + 1, and 0 is "in no
 * zone".
 */
export type ZonePolygons = { name: string; polygons: MultiPolygon }[];

/** An evaluator that reads the store and stops with its run. */
export const evaluatorFor = (ctx: RangeContext): Evaluator =>
  new Evaluator({
    sources: ctx.sources,
    kept: ctx.kept,
    states: ctx.states,
    signal: ctx.signal,
    onGather: (share) => ctx.progress(share),
  });

/** Cells that a worker looks at in one go: some seconds. */
export const RANGE_CELLS = 6e6;

/**
 * Phases that find what a map's whole-image steps need: for each such step one that gathers strips,
 * shared by all workers, and one
 * that merges them. Steps whose facts are known already have no ranges. While the strips of the
 * first limit on patches are gathered, what the limits
 * before it did is counted too: the cells are at hand there.
 * @param node all stages of a map as one image
 */
export function gatherPhases(node: NodeSpec) {
  const nodes = gatheringNodes(node);
  const hash = (n: NodeSpec) => nodeHash(n, versionOf);
  const first = nodes.findIndex((n) => n.step === "limit.holes" || n.step === "limit.minimumPatch");
  const stage =
    first < 0 ? -1 : node.inputs.findIndex((input) => hash(input) === hash(nodes[first]!));
  const before = stage > 0 ? node.inputs.slice(0, stage) : [];
  const names = node.params.names as string[];
  const groups = (info: ImageInfo) => rowRanges(info.grid.width, info.grid.height, RANGE_CELLS);
  const counts = before.length > 0 && hash(before.at(-1)!) === hash(nodes[first]!.inputs[0]!);
  return {
    /** Stages that are counted while they are gathered, and the phase in which they are. */
    counted: counts ? { phase: 2 * first, stages: before.length } : null,
    plan: nodes.flatMap((): PhasePlan[] => [
      { name: "Looking at the whole image", weight: 3 },
      { name: "Putting it together", weight: 0.3 },
    ]),
    async ranges(phase: number, info: ImageInfo, client: Client): Promise<number[]> {
      if (await hasState(client, `${hash(nodes[phase >> 1]!)}/0`)) {
        return [];
      }
      return phase % 2 ? [1] : groups(info).map((rowRange) => rowRange.cells);
    },
    async work(
      phase: number,
      seq: number,
      info: ImageInfo,
      ctx: RangeContext,
    ): Promise<{ result?: object }> {
      const n = nodes[phase >> 1]!;
      const evaluator = evaluatorFor(ctx);
      if (phase % 2) {
        await evaluator.gatherAll(n);
        return {};
      }
      // The step may look at another grid than the map's: its strips are shared out evenly over the
      // ranges.
      const strips = stripsOf(await evaluator.info(n.inputs[0]!));
      const count = groups(info).length;
      const from = Math.floor((seq * strips.length) / count);
      const to = Math.floor(((seq + 1) * strips.length) / count);
      if (!counts || phase !== 2 * first) {
        await evaluator.gatherStrips(n, from, to);
        return {};
      }
      const spec: NodeSpec = {
        step: "limit.stages",
        params: { names: names.slice(0, before.length) },
        inputs: before,
      };
      const areas = cellAreas(info.grid);
      const effects = noEffects(names.slice(1, before.length));
      for (let k = from; k < to; k++) {
        const strip = strips[k]!;
        const cells = new Uint8Array(strip.width * strip.height);
        await ahead(
          Math.ceil(strip.width / BLOCK),
          (b) =>
            evaluator.read(spec, 0, {
              col: b * BLOCK,
              row: strip.row,
              width: Math.min(BLOCK, strip.width - b * BLOCK),
              height: strip.height,
            }),
          ({ window: w, bands }) => {
            ctx.signal.throwIfAborted();
            addEffects(bands.map(labelCells), w, areas, effects);
            const last = labelCells(bands.at(-1)!);
            for (let r = 0; r < w.height; r++) {
              cells.set(last.subarray(r * w.width, (r + 1) * w.width), r * strip.width + w.col);
            }
          },
        );
        await ctx.states.put(stripKey(`${hash(n)}/0`, k), {
          ...runsOf(cells, strip.width, strip.height),
        });
        ctx.progress((k + 1 - from) / (to - from));
      }
      return { result: { effects } };
    },
    /**
     * What the limits did, from the strips and from what the limits on patches found; null where
     * that is not known, and the stages have to be looked at again.
     */
    async effects(
      results: <T>(phase: number) => Promise<T[]>,
      client: Client,
    ): Promise<LimitEffect[] | null> {
      if (!counts) {
        return null;
      }
      const parts = (await results<{ effects?: LimitEffect[] } | null>(2 * first))
        .map((r) => r?.effects)
        .filter((x): x is LimitEffect[] => !!x);
      const out: LimitEffect[] = parts.length ? mergeEffects(parts) : [];
      if (!parts.length) {
        return null;
      }
      for (const [k, n] of node.inputs.slice(before.length).entries()) {
        const state = await findState(client, `${hash(n)}/0`);
        if (!state || typeof state.droppedCells !== "number") {
          return null;
        }
        out.push({
          name: names[before.length + k]!,
          droppedCells: state.droppedCells,
          droppedM2: state.droppedM2 as number,
          addedCells: state.addedCells as number,
          addedM2: state.addedM2 as number,
        });
      }
      return out;
    },
  };
}

/**
 * Evaluates block rows of a class node at full resolution, tallies them, and hands on the labels.
 * Of an image of several stages the last band is the map, and what each stage did is counted too.
 */
export async function classRows(
  node: NodeSpec,
  info: ImageInfo,
  range: RowRange,
  zones: ZonePolygons,
  ctx: RangeContext,
  keep: boolean,
): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const evaluator = evaluatorFor(ctx);
  const areas = cellAreas(info.grid);
  const tally = new Tally(zones.length + 1);
  const last = info.bands.length - 1;
  const effects = noEffects(info.bands.slice(1).map((band) => band.name));
  const blocks: StoredBlock[] = [];
  const across = Math.ceil(info.grid.width / BLOCK);
  const count = (range.to - range.from) * across;
  const windowAt = (k: number) =>
    blockWindow(range.from + Math.floor(k / across), k % across, info.grid.width, info.grid.height);
  await ahead(
    count,
    (k) => evaluator.read(node, 0, windowAt(k)),
    (block, k) => {
      ctx.signal.throwIfAborted();
      const w = windowAt(k);
      const labels = labelCells(block.bands[last]!);
      addEffects(block.bands.map(labelCells), w, areas, effects);
      let zone: Uint16Array | null = null;
      if (zones.length) {
        zone = new Uint16Array(labels.length);
        zones.forEach((z, i) => rasterise(z.polygons, info.grid, w, i + 1, zone!));
      }
      tally.add(labels, zone, w, areas);
      if (keep) {
        blocks.push({
          level: 0,
          row: range.from + Math.floor(k / across),
          col: k % across,
          band: 0,
          cells: labels,
        });
      }
      ctx.progress((k + 1) / count);
    },
  );
  return { tally: { ...tally.toJSON(), limits: effects }, blocks };
}

/**
 * As classRows, but looks at the stages only where nobody has counted what they did: not while
 * their strips were gathered, and not for an earlier run of the same map.
 * @param key hash of the map, by which its tally is kept
 */
export async function countedRows(
  stages: NodeSpec,
  info: ImageInfo,
  range: RowRange,
  zones: ZonePolygons,
  ctx: RangeContext,
  keep: boolean,
  key: string,
  runId: string,
): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const { counted } = gatherPhases(stages);
  const known = await ctx.db.withClient(
    async (client) =>
      !!(await findTally(client, key))?.limits ||
      (counted !== null &&
        (await rangeResults<{ effects?: LimitEffect[] } | null>(client, runId, counted.phase)).some(
          (r) => r?.effects,
        )),
  );
  if (!known) {
    return classRows(stages, info, range, zones, ctx, keep);
  }
  const { tally, blocks } = await classRows(
    stages.inputs.at(-1)!,
    { ...info, bands: [info.bands.at(-1)!] },
    range,
    zones,
    ctx,
    keep,
  );
  const { limits: _none, ...plain } = tally;
  return { tally: plain, blocks };
}

/** Areas counted on parts as those of the whole. */
export function mergeTallies(parts: TallyData[]): TallyData {
  const tally = new Tally(parts[0]?.zones ?? 1);
  for (const part of parts) {
    tally.merge(part);
  }
  return {
    ...tally.toJSON(),
    ...(parts[0]?.limits ? { limits: mergeEffects(parts.map((part) => part.limits!)) } : {}),
  };
}
