import { Evaluator } from '@hindglance/core/graph/evaluator';
import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import { cellAreas } from '@hindglance/core/grid/area';
import { BLOCK } from '@hindglance/core/grid/grid';
import { Tally, type TallyData } from '@hindglance/core/tally/tally';
import type { MultiPolygon } from '@hindglance/core/vector/polygons';
import { rasterise } from '@hindglance/core/vector/rasterise';
import type { StoredBlock } from '../db/blocks';
import { blockWindow } from '../db/blocks';
import type { RangeContext } from './engine';
import type { RowRange } from './ranges';

/** Zones in the coordinates of the map's grid; zone k of the list has number k + 1, and 0 is "in no zone". */
export type ZonePolygons = { name: string; polygons: MultiPolygon }[];

export const evaluatorFor = (ctx: RangeContext): Evaluator => new Evaluator({ sources: ctx.sources, states: ctx.states, signal: ctx.signal, onPrepare: (_s, share) => ctx.progress(share) });

/** Evaluates block rows of a class node at full resolution, tallies them, and hands on the labels. */
export async function classRows(node: NodeSpec, info: ImageInfo, range: RowRange, zones: ZonePolygons, ctx: RangeContext, keep: boolean): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const e = evaluatorFor(ctx), areas = cellAreas(info.grid), tally = new Tally(zones.length + 1), blocks: StoredBlock[] = [];
  const across = Math.ceil(info.grid.width / BLOCK);
  for (let row = range.from; row < range.to; row++) for (let col = 0; col < across; col++) {
    ctx.signal.throwIfAborted();
    const w = blockWindow(row, col, info.grid.width, info.grid.height);
    const labels = (await e.read(node, 0, w)).bands[0] as Uint8Array;
    let zone: Uint16Array | null = null;
    if (zones.length) { zone = new Uint16Array(labels.length); zones.forEach((z, k) => rasterise(z.polygons, info.grid, w, k + 1, zone!)); }
    tally.add(labels, zone, w, areas);
    if (keep) blocks.push({ level: 0, row, col, band: 0, cells: labels });
    ctx.progress(((row - range.from) * across + col + 1) / ((range.to - range.from) * across));
  }
  return { tally: tally.toJSON(), blocks };
}

export function mergeTallies(parts: TallyData[]): TallyData {
  const t = new Tally(parts[0]?.zones ?? 1);
  for (const p of parts) t.merge(p);
  return t.toJSON();
}
