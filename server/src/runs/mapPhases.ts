import { ahead } from '@hindglance/core/graph/ahead';
import { Evaluator, gatheringNodes, stripsOf } from '@hindglance/core/graph/evaluator';
import type { ImageInfo } from '@hindglance/core/graph/image';
import { type NodeSpec, nodeHash } from '@hindglance/core/graph/node';
import { versionOf } from '@hindglance/core/graph/registry';
import { cellAreas } from '@hindglance/core/grid/area';
import { BLOCK } from '@hindglance/core/grid/grid';
import { addEffects, mergeEffects, noEffects } from '@hindglance/core/tally/effects';
import { Tally, type TallyData } from '@hindglance/core/tally/tally';
import type { MultiPolygon } from '@hindglance/core/vector/polygons';
import { rasterise } from '@hindglance/core/vector/rasterise';
import type { StoredBlock } from '../db/blocks';
import { blockWindow } from '../db/blocks';
import { hasState } from '../db/nodes';
import type { Client } from '../db/pool';
import type { RangeContext } from './engine';
import { type RowRange, rowRanges } from './ranges';
import type { PhasePlan } from './store';

/** Zones in the coordinates of the map's grid; zone k of the list has number k + 1, and 0 is "in no zone". */
export type ZonePolygons = { name: string; polygons: MultiPolygon }[];

export const evaluatorFor = (ctx: RangeContext): Evaluator => new Evaluator({ sources: ctx.sources, kept: ctx.kept, states: ctx.states, signal: ctx.signal, onGather: (share) => ctx.progress(share) });

/**
 * Phases that find what a node's whole-image steps need: for each such step one that gathers strips, shared by all workers, and one
 * that merges them. Steps whose facts are known already have no ranges.
 */
export function gatherPhases(node: NodeSpec): { plan: PhasePlan[]; ranges(phase: number, info: ImageInfo, c: Client): Promise<number[]>; work(phase: number, seq: number, info: ImageInfo, ctx: RangeContext): Promise<object> } {
  const nodes = gatheringNodes(node);
  // About six million cells: some seconds.
  const groups = (info: ImageInfo) => rowRanges(info.grid.width, info.grid.height, 6e6);
  return {
    plan: nodes.flatMap(() => [{ name: 'Looking at the whole image', weight: 3 }, { name: 'Putting it together', weight: 0.3 }]),
    async ranges(phase, info, c) {
      if (await hasState(c, `${nodeHash(nodes[phase >> 1]!, versionOf)}/0`)) return [];
      return phase % 2 ? [1] : groups(info).map((r) => r.cells);
    },
    async work(phase, seq, info, ctx) {
      const n = nodes[phase >> 1]!, e = evaluatorFor(ctx);
      if (phase % 2) await e.gatherAll(n);
      else {
        // The step may look at another grid than the map's: its strips are shared out evenly over the ranges.
        const strips = stripsOf(await e.info(n.inputs[0]!)).length, count = groups(info).length;
        await e.gatherStrips(n, Math.floor((seq * strips) / count), Math.floor(((seq + 1) * strips) / count));
      }
      return {};
    },
  };
}

/** Evaluates block rows of a class node at full resolution, tallies them, and hands on the labels. Of an image of several stages the last band is the map, and what each stage did is counted too. */
export async function classRows(node: NodeSpec, info: ImageInfo, range: RowRange, zones: ZonePolygons, ctx: RangeContext, keep: boolean): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const e = evaluatorFor(ctx), areas = cellAreas(info.grid), tally = new Tally(zones.length + 1), last = info.bands.length - 1, effects = noEffects(info.bands.slice(1).map((b) => b.name)), blocks: StoredBlock[] = [];
  const across = Math.ceil(info.grid.width / BLOCK), count = (range.to - range.from) * across;
  const windowAt = (k: number) => blockWindow(range.from + Math.floor(k / across), k % across, info.grid.width, info.grid.height);
  await ahead(count, (k) => e.read(node, 0, windowAt(k)), (block, k) => {
    ctx.signal.throwIfAborted();
    const w = windowAt(k), labels = block.bands[last] as Uint8Array;
    addEffects(block.bands as Uint8Array[], w, areas, effects);
    let zone: Uint16Array | null = null;
    if (zones.length) { zone = new Uint16Array(labels.length); zones.forEach((z, i) => rasterise(z.polygons, info.grid, w, i + 1, zone!)); }
    tally.add(labels, zone, w, areas);
    if (keep) blocks.push({ level: 0, row: range.from + Math.floor(k / across), col: k % across, band: 0, cells: labels });
    ctx.progress((k + 1) / count);
  });
  return { tally: { ...tally.toJSON(), limits: effects }, blocks };
}

export function mergeTallies(parts: TallyData[]): TallyData {
  const t = new Tally(parts[0]?.zones ?? 1);
  for (const p of parts) t.merge(p);
  return { ...t.toJSON(), ...(parts[0]?.limits ? { limits: mergeEffects(parts.map((p) => p.limits!)) } : {}) };
}
