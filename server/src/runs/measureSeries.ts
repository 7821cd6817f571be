import type { ZonePolygons } from "../products/zonePolygons";
import type { Operator } from "@hindglance/core/change/rules";
import { ahead } from "@hindglance/core/graph/ahead";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK } from "@hindglance/core/grid/grid";
import {
  type ZoneSum,
  addZoneSums,
  mergeZoneSums,
  noZoneSums,
} from "@hindglance/core/tally/zoneSums";
import { rasterise } from "@hindglance/core/vector/rasterise";
import { blockWindow } from "../db/blocks";
import { saveSeries } from "../db/nodes";
import type { RunKind } from "./kind";
import { evaluatorFor } from "./mapPhases";
import { rowRanges } from "./ranges";
import { realCells } from "@hindglance/core/raster/block";

/** One band a date, all on one grid. */
export interface SeriesParams {
  key: string;
  info: ImageInfo;
  dates: { sceneId: string; node: NodeSpec }[];
  op: Operator;
  value: number;
  decibel: boolean;
  zones: ZonePolygons;
}

const RANGE_CELLS = 6e6;
const rowsOf = (params: SeriesParams) =>
  rowRanges(params.info.grid.width, params.info.grid.height, RANGE_CELLS);

/**
 * How much of each zone lies beyond a value, and what it shows on the average, on every date. Kept
 * by what it was made from.
 */
export const measureSeries: RunKind<SeriesParams> = {
  phases: () => [{ name: "Measuring dates", weight: 1 }],
  ranges: async (_phase, params) =>
    params.dates.flatMap(() => rowsOf(params).map((rowRange) => rowRange.cells)),
  async work(_phase, seq, params, ctx) {
    const rows = rowsOf(params);
    const date = params.dates[Math.floor(seq / rows.length)]!;
    const range = rows[seq % rows.length]!;
    const evaluator = evaluatorFor(ctx);
    const { width, height } = params.info.grid;
    const across = Math.ceil(width / BLOCK);
    const areas = cellAreas(params.info.grid);
    const sums = noZoneSums(params.zones.length + 1);
    const count = (range.to - range.from) * across;
    const windowAt = (k: number) =>
      blockWindow(range.from + Math.floor(k / across), k % across, width, height);
    await ahead(
      count,
      (k) => evaluator.read(date.node, 0, windowAt(k)),
      (block, k) => {
        ctx.signal.throwIfAborted();
        const w = windowAt(k);
        const band = realCells(block.bands[0]!);
        let zone: Uint16Array | null = null;
        if (params.zones.length) {
          zone = new Uint16Array(band.length);
          params.zones.forEach((z, i) => rasterise(z.polygons, params.info.grid, w, i + 1, zone!));
        }
        addZoneSums(band, zone, w, areas, params.op, params.value, params.decibel, sums);
        ctx.progress((k + 1) / count);
      },
    );
    return { result: sums };
  },
  async finish(params, results, client) {
    const parts = await results<ZoneSum[]>(0);
    const each = rowsOf(params).length;
    await saveSeries(client, params.key, {
      dates: params.dates.map((date, k) => ({
        sceneId: date.sceneId,
        zones: parts.slice(k * each, (k + 1) * each).reduce(mergeZoneSums),
      })),
    });
    return { key: params.key };
  },
  discard: async () => {},
};
