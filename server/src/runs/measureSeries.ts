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
import type { RunKind } from "./engine";
import { type ZonePolygons, evaluatorFor } from "./mapPhases";
import { rowRanges } from "./ranges";

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
const rowsOf = (p: SeriesParams) => rowRanges(p.info.grid.width, p.info.grid.height, RANGE_CELLS);

/**
 * How much of each zone lies beyond a value, and what it shows on the average, on every date. Kept
 * by what it was made from.
 */
export const measureSeries: RunKind<SeriesParams> = {
  phases: () => [{ name: "Measuring dates", weight: 1 }],
  ranges: async (_phase, p) => p.dates.flatMap(() => rowsOf(p).map((r) => r.cells)),
  async work(_phase, seq, p, ctx) {
    const rows = rowsOf(p);
    const date = p.dates[Math.floor(seq / rows.length)]!;
    const range = rows[seq % rows.length]!;
    const e = evaluatorFor(ctx);
    const { width, height } = p.info.grid;
    const across = Math.ceil(width / BLOCK);
    const areas = cellAreas(p.info.grid);
    const sums = noZoneSums(p.zones.length + 1);
    const count = (range.to - range.from) * across;
    const windowAt = (k: number) =>
      blockWindow(range.from + Math.floor(k / across), k % across, width, height);
    await ahead(
      count,
      (k) => e.read(date.node, 0, windowAt(k)),
      (block, k) => {
        ctx.signal.throwIfAborted();
        const w = windowAt(k);
        const v = block.bands[0] as Float32Array;
        let zone: Uint16Array | null = null;
        if (p.zones.length) {
          zone = new Uint16Array(v.length);
          p.zones.forEach((z, i) => rasterise(z.polygons, p.info.grid, w, i + 1, zone!));
        }
        addZoneSums(v, zone, w, areas, p.op, p.value, p.decibel, sums);
        ctx.progress((k + 1) / count);
      },
    );
    return { result: sums };
  },
  async finish(p, results, c) {
    const parts = await results<ZoneSum[]>(0);
    const each = rowsOf(p).length;
    await saveSeries(c, p.key, {
      dates: p.dates.map((d, k) => ({
        sceneId: d.sceneId,
        zones: parts.slice(k * each, (k + 1) * each).reduce(mergeZoneSums),
      })),
    });
    return { key: p.key };
  },
  discard: async () => {},
};
