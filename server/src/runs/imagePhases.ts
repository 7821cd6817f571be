import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, levelCount } from "@hindglance/core/grid/grid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import {
  type Histogram,
  addToHistogram,
  emptyHistogram,
  mergeHistograms,
} from "@hindglance/core/raster/histogram";
import {
  type Statistics,
  addStatistics,
  emptyStatistics,
  mergeStatistics,
} from "@hindglance/core/raster/statistics";
import { toDecibel } from "@hindglance/core/radar/decibel";
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from "@hindglance/core/radar/estimateLooks";
import { type StoredBlock, amplitudes, readBlocks, removeBlocks, writeBlocks } from "../db/blocks";
import type { Client } from "../db/pool";
import type { RangeContext } from "./engine";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { rowRanges } from "./ranges";
import { type PhasePlan, rangeResults } from "../db/runs";

/** Sums travel as JSON, which has no infinity: an empty extent is null. */
type SafeStatistics = Omit<Statistics, "min" | "max"> & { min: number | null; max: number | null };
interface CellsResult {
  statistics: SafeStatistics[];
}
interface HistogramResult {
  histograms: Histogram[];
  looks: number[][];
}
export interface ImageFacts {
  statistics: Statistics[];
  histograms: Histogram[];
  looks: (number | null)[];
}

/**
 * Phases that write an image: its cells, whoever gives them, then overviews, then histograms. They
 * begin at phase `first` of a run.
 * `cells` gives the blocks of one block row, and may tell how far in the row it is; it is called
 * for rows in rising order within a range.
 * Several images of one size can share their phases: image number `nth` has the `nth` part of each
 * phase's ranges.
 */
export function imagePhases(
  info: ImageInfo,
  imageId: string,
  first: number,
  cellsName: string,
  rangeCells?: number,
  nth = 0,
): {
  plan: PhasePlan[];
  ranges(phase: number): number[];
  work(
    phase: number,
    seq: number,
    ctx: RangeContext,
    runId: string,
    cells: (row: number, tell: (share: number) => void) => Promise<StoredBlock[]>,
  ): Promise<{ result?: object; write?(client: Client): Promise<void> }>;
  facts(results: <T>(phase: number) => Promise<T[]>): Promise<ImageFacts>;
} {
  const levels = levelCount(info.grid.width, info.grid.height);
  const last = first + levels;
  const { width, height } = info.grid;
  const rows = rowRanges(width, height, rangeCells);
  const mine = <T>(all: T[]): T[] => all.slice(nth * rows.length, (nth + 1) * rows.length);
  const asFloat = (cells: StoredBlock["cells"]) => {
    if (cells instanceof Float32Array) {
      return cells;
    }
    if (cells instanceof Uint16Array) {
      return amplitudes(cells);
    }
    return Float32Array.from(cells, (value) => (value === CLASS_NODATA ? NaN : value));
  };
  return {
    plan: [
      { name: cellsName, weight: 6 },
      ...Array.from({ length: levels - 1 }, (_v, i) => ({ name: "Overviews", weight: 2 / 4 ** i })),
      { name: "Histogram", weight: 2 },
    ],
    ranges(phase) {
      return phase === first || phase === last
        ? rows.map((row) => row.cells)
        : levelRanges(info, phase - first).map((rowRange) => rowRange.cells);
    },
    async work(phase, seq, ctx, runId, cells) {
      if (phase > first && phase < last) {
        return {
          write: await buildLevel(
            ctx.db,
            imageId,
            info,
            phase - first,
            levelRanges(info, phase - first)[seq]!,
            ctx.signal,
          ),
        };
      }
      const range = rows[seq]!;
      if (phase === first) {
        const statistics = info.bands.map(emptyStatistics);
        const blocks: StoredBlock[] = [];
        for (let row = range.from; row < range.to; row++) {
          ctx.signal.throwIfAborted();
          for (const storedBlock of await cells(row, (share) =>
            ctx.progress((row + share - range.from) / (range.to - range.from)),
          )) {
            addStatistics(statistics[storedBlock.band]!, asFloat(storedBlock.cells));
            blocks.push(storedBlock);
          }
          ctx.progress((row + 1 - range.from) / (range.to - range.from));
        }
        return {
          result: {
            statistics: statistics.map((statistic) => ({
              ...statistic,
              min: statistic.valid ? statistic.min : null,
              max: statistic.valid ? statistic.max : null,
            })),
          } satisfies CellsResult,
          write: async (client) => {
            await removeBlocks(client, imageId, 0, range.from, range.to);
            await writeBlocks(client, imageId, blocks);
          },
        };
      }
      const totals = merge(
        mine(await ctx.db.withClient((client) => rangeResults<CellsResult>(client, runId, first))),
      );
      const histograms = info.bands.map((band, i) => histogramFor(band.role, totals[i]!));
      const looks = info.bands.map(() => new Array<number>(LOOKS_BINS).fill(0));
      for (let row = range.from; row < range.to; row++) {
        ctx.signal.throwIfAborted();
        // Some columns at a time: a whole row of many bands would be held at once.
        for (let col = 0; col < Math.ceil(width / BLOCK); col += COLUMNS) {
          for (const decodedBlock of await ctx.db.withClient((client) =>
            readBlocks(
              client,
              imageId,
              0,
              row,
              row + 1,
              col,
              Math.min(Math.ceil(width / BLOCK), col + COLUMNS),
              info.stored,
            ),
          )) {
            const role = info.bands[decodedBlock.band]!.role;
            const a = asFloat(decodedBlock.cells);
            if (role === "amplitude") {
              for (let i = 0; i < a.length; i++) {
                a[i]! *= a[i]!;
              }
            }
            if (role !== "power" && role !== "amplitude") {
              addToHistogram(histograms[decodedBlock.band]!, a);
              continue;
            }
            addLocalLooks(
              a,
              Math.min(BLOCK, width - decodedBlock.col * BLOCK),
              Math.min(BLOCK, height - decodedBlock.row * BLOCK),
              looks[decodedBlock.band]!,
            );
            const db = new Float32Array(a.length);
            toDecibel(a, db);
            addToHistogram(histograms[decodedBlock.band]!, db);
          }
        }
      }
      return { result: { histograms, looks } satisfies HistogramResult };
    },
    async facts(results) {
      const parts = mine(await results<HistogramResult>(last));
      const statistics = merge(mine(await results<CellsResult>(first)));
      return {
        statistics: statistics.map((statistic) =>
          statistic.valid ? statistic : { ...statistic, min: 0, max: 0 },
        ),
        histograms: info.bands.map((_b, i) =>
          parts.map((part) => part.histograms[i]!).reduce(mergeHistograms),
        ),
        looks: info.bands.map((band, i) => {
          const n = looksAtPeak(
            parts.reduce(
              (s, histogramResult) => s.map((value, k) => value + histogramResult.looks[i]![k]!),
              new Array<number>(LOOKS_BINS).fill(0),
            ),
          );
          return (band.role === "power" || band.role === "amplitude") && Number.isFinite(n)
            ? n
            : null;
        }),
      };
    },
  };
}

/** Block columns that a histogram reads at a time. */
const COLUMNS = 4;
const merge = (parts: CellsResult[]): Statistics[] =>
  parts
    .map((part) =>
      part.statistics.map((statistic): Statistics => ({
        ...statistic,
        min: statistic.min ?? Infinity,
        max: statistic.max ?? -Infinity,
      })),
    )
    .reduce((a, b) => a.map((statistics, i) => mergeStatistics(statistics, b[i]!)));

/**
 * Power and the square of amplitudes are looked at in decibels; everything else over its own
 * extent.
 */
function histogramFor(role: string, statistics: Statistics): Histogram {
  if (role === "power") {
    return emptyHistogram(-45, 20, 260);
  }
  if (role === "amplitude") {
    return emptyHistogram(0, 100, 400);
  }
  if (!statistics.valid) {
    return emptyHistogram(0, 1, 2);
  }
  return statistics.max > statistics.min
    ? emptyHistogram(statistics.min, statistics.max, 256)
    : emptyHistogram(statistics.min - 0.5, statistics.min + 0.5, 2);
}
