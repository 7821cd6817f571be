import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import type { TallyData } from '@hindglance/core/tally/tally';
import { saveTally } from '../db/nodes';
import type { RunKind } from './engine';
import { classRows, evaluatorFor, mergeTallies } from './mapPhases';
import { rowRanges } from './ranges';

export interface AreasParams { key: string; node: NodeSpec; info: ImageInfo }

/** Exact areas of a class node at full resolution, kept by the node's hash. */
export const measureAreas: RunKind<AreasParams> = {
  phases: () => [{ name: 'Looking at the whole image', weight: 3 }, { name: 'Measuring areas', weight: 3 }],
  ranges: async (phase, p) => (phase === 0 ? [1] : rowRanges(p.info.grid.width, p.info.grid.height, 6e6).map((r) => r.cells)),
  async work(phase, seq, p, ctx) {
    if (phase === 0) { await evaluatorFor(ctx).prepareAll(p.node); return {}; }
    const { tally } = await classRows(p.node, p.info, rowRanges(p.info.grid.width, p.info.grid.height, 6e6)[seq]!, [], ctx, false);
    return { result: tally };
  },
  async finish(p, results, c) { const tally = mergeTallies(await results<TallyData>(1)); await saveTally(c, p.key, tally); return { key: p.key }; },
  discard: async () => {},
};
