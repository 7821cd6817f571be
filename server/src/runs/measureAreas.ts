import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { TallyData } from "@hindglance/core/tally/tally";
import { findTally, saveTally } from "../db/nodes";
import type { ZonePolygons } from "../products/zonePolygons";
import type { RangeContext, RunKind } from "./kind";
import { RANGE_CELLS, classRows, countedRows, GatherPhases, mergeTallies } from "./mapPhases";
import { type RowRange, rowRanges } from "./ranges";

/** `node`: all stages of a map as one image, `info` what is known of that. */
export interface AreasParams {
  key: string;
  node: NodeSpec;
  info: ImageInfo;
  /** Zones that areas are counted by; absent: none. */
  zones?: ZonePolygons;
  /** What a second sensor says of the map, to be counted too. */
  confirmed?: { node: NodeSpec; info: ImageInfo } | null;
}

/** What a second sensor says of the map in a range; nothing where none is asked. */
async function confirmedRows(
  { confirmed, zones = [] }: AreasParams,
  range: RowRange,
  ctx: RangeContext,
): Promise<Pick<TallyData, "confirmed">> {
  if (!confirmed) {
    return {};
  }
  const { tally } = await classRows(confirmed.node, confirmed.info, range, zones, ctx, false);
  return { confirmed: { zones: tally.zones, entries: tally.entries } };
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
    const { node, info, key, zones = [] } = params;
    const range = rowRanges(info.grid.width, info.grid.height, RANGE_CELLS)[seq]!;
    const { tally } = await countedRows(node, info, range, zones, ctx, false, key, run.id);
    return { result: { ...tally, ...(await confirmedRows(params, range, ctx)) } };
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
