import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { TallyData } from "@hindglance/core/tally/tally";
import { findTally, saveTally } from "../db/nodes";
import type { ZonePolygons } from "../products/zonePolygons";
import type { RunKind } from "./kind";
import { RANGE_CELLS, countedRows, GatherPhases, mergeTallies } from "./mapPhases";
import { rowRanges } from "./ranges";

/** `node`: all stages of a map as one image, `info` what is known of that. */
export interface AreasParams {
  key: string;
  node: NodeSpec;
  info: ImageInfo;
  /** Zones that areas are counted by; absent: none. */
  zones?: ZonePolygons;
}

/** Exact areas of a map at full resolution and what each limit did, kept by the map's hash. */
export const measureAreas: RunKind<AreasParams> = {
  phases: (params) => [
    ...new GatherPhases(params.node).plan,
    { name: "Measuring areas", weight: 3 },
  ],
  ranges: async (phase, params, client) => {
    const gathering = new GatherPhases(params.node);
    return phase < gathering.plan.length
      ? gathering.ranges(phase, params.info, client)
      : rowRanges(params.info.grid.width, params.info.grid.height, RANGE_CELLS).map(
          (rowRange) => rowRange.cells,
        );
  },
  async work(phase, seq, params, ctx, run) {
    const gathering = new GatherPhases(params.node);
    if (phase < gathering.plan.length) {
      return gathering.work(phase, seq, params.info, ctx);
    }
    return {
      result: (
        await countedRows(
          params.node,
          params.info,
          rowRanges(params.info.grid.width, params.info.grid.height, RANGE_CELLS)[seq]!,
          params.zones ?? [],
          ctx,
          false,
          params.key,
          run.id,
        )
      ).tally,
    };
  },
  async finish(params, results, client) {
    const gathering = new GatherPhases(params.node);
    const limits =
      (await gathering.effects(results, client)) ?? (await findTally(client, params.key))?.limits;
    const tally = mergeTallies(await results<TallyData>(gathering.plan.length));
    await saveTally(client, params.key, { ...tally, ...(limits ? { limits } : {}) });
    return { key: params.key };
  },
  discard: async () => {},
};
