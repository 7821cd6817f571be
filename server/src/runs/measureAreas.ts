import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import type { TallyData } from '@hindglance/core/tally/tally';
import { saveTally } from '../db/nodes';
import type { RunKind } from './engine';
import { classRows, gatherPhases, mergeTallies } from './mapPhases';
import { rowRanges } from './ranges';

export interface AreasParams { key: string; node: NodeSpec; info: ImageInfo }

/** Exact areas of a class node at full resolution, kept by the node's hash. */
export const measureAreas: RunKind<AreasParams> = {
  phases: (p) => [...gatherPhases(p.node).plan, { name: 'Measuring areas', weight: 3 }],
  ranges: async (phase, p, c) => {
    const g = gatherPhases(p.node);
    return phase < g.plan.length ? g.ranges(phase, p.info, c) : rowRanges(p.info.grid.width, p.info.grid.height, 6e6).map((r) => r.cells);
  },
  async work(phase, seq, p, ctx) {
    const g = gatherPhases(p.node);
    if (phase < g.plan.length) return g.work(phase, seq, p.info, ctx);
    const { tally } = await classRows(p.node, p.info, rowRanges(p.info.grid.width, p.info.grid.height, 6e6)[seq]!, [], ctx, false);
    return { result: tally };
  },
  async finish(p, results, c) { const tally = mergeTallies(await results<TallyData>(gatherPhases(p.node).plan.length)); await saveTally(c, p.key, tally); return { key: p.key }; },
  discard: async () => {},
};
