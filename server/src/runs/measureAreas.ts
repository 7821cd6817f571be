import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { TallyData } from "@hindglance/core/tally/tally";
import { findTally, saveTally } from "../db/nodes";
import type { RunKind } from "./engine";
import { RANGE_CELLS, countedRows, gatherPhases, mergeTallies } from "./mapPhases";
import { rowRanges } from "./ranges";

/** `node`: all stages of a map as one image, `info` what is known of that. */
export interface AreasParams {
  key: string;
  node: NodeSpec;
  info: ImageInfo;
}

/** Exact areas of a map at full resolution and what each limit did, kept by the map's hash. */
export const measureAreas: RunKind<AreasParams> = {
  phases: (p) => [...gatherPhases(p.node).plan, { name: "Measuring areas", weight: 3 }],
  ranges: async (phase, p, c) => {
    const g = gatherPhases(p.node);
    return phase < g.plan.length
      ? g.ranges(phase, p.info, c)
      : rowRanges(p.info.grid.width, p.info.grid.height, RANGE_CELLS).map((r) => r.cells);
  },
  async work(phase, seq, p, ctx, run) {
    const g = gatherPhases(p.node);
    if (phase < g.plan.length) {
      return g.work(phase, seq, p.info, ctx);
    }
    return {
      result: (
        await countedRows(
          p.node,
          p.info,
          rowRanges(p.info.grid.width, p.info.grid.height, RANGE_CELLS)[seq]!,
          [],
          ctx,
          false,
          p.key,
          run.id,
        )
      ).tally,
    };
  },
  async finish(p, results, c) {
    const g = gatherPhases(p.node);
    const limits = (await g.effects(results, c)) ?? (await findTally(c, p.key))?.limits;
    const tally = mergeTallies(await results<TallyData>(g.plan.length));
    await saveTally(c, p.key, { ...tally, ...(limits ? { limits } : {}) });
    return { key: p.key };
  },
  discard: async () => {},
};
