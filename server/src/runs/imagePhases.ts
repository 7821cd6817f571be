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
import {
  type DecodedBlock,
  type StoredBlock,
  amplitudes,
  readBlocks,
  removeBlocks,
  writeBlocks,
} from "../db/blocks";
import type { Client } from "../db/pool";
import type { RangeContext } from "./kind";
import { buildLevel, levelRanges } from "./pyramidPhase";
import { rowRanges } from "./ranges";
import { rangeResults } from "../db/ranges";
import { type PhasePlan } from "../db/runs";

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

/** Cells of a block as numbers; amplitudes as they were measured, labels that are none as NaN. */
function asFloat(cells: StoredBlock["cells"]): Float32Array {
  if (cells instanceof Float32Array) {
    return cells;
  }
  if (cells instanceof Uint16Array) {
    return amplitudes(cells);
  }
  return Float32Array.from(cells, (value) => (value === CLASS_NODATA ? NaN : value));
}

const squared = (cells: Float32Array): Float32Array => cells.map((value) => value * value);

/** JSON has no infinity: the ends of nothing are null. */
const safe = (statistics: Statistics): SafeStatistics =>
  statistics.valid ? statistics : { ...statistics, min: null, max: null };

/** Gives the blocks of one block row, and may tell how far in the row it is. */
type CellsOf = (row: number, tell: (share: number) => void) => Promise<StoredBlock[]>;

interface Range {
  from: number;
  to: number;
}

/** What a part of a run gives back, and what it writes when that is taken. */
interface Worked {
  result?: object;
  write?(client: Client): Promise<void>;
}

interface Options {
  info: ImageInfo;
  imageId: string;
  /** Phase of the run at which the image begins. */
  first: number;
  /** What the phase of the cells is called. */
  cellsName: string;
  rangeCells?: number | undefined;
  /** Which image it is of several of one size that share their phases. */
  nth?: number;
}

/**
 * Phases that write an image: its cells, whoever gives them, then overviews, then histograms.
 * Several images of one size can share their phases: image number `nth` has the `nth` part of each
 * phase's ranges.
 */
export class ImagePhases {
  private readonly rows: ReturnType<typeof rowRanges>;
  private readonly last: number;
  private readonly across: number;
  readonly plan: PhasePlan[];

  constructor(private readonly options: Options) {
    const { width, height } = options.info.grid;
    const levels = levelCount(width, height);
    this.last = options.first + levels;
    this.rows = rowRanges(width, height, options.rangeCells);
    this.across = Math.ceil(width / BLOCK);
    this.plan = [
      { name: options.cellsName, weight: 6 },
      ...Array.from({ length: levels - 1 }, (_v, k) => ({ name: "Overviews", weight: 2 / 4 ** k })),
      { name: "Histogram", weight: 2 },
    ];
  }

  /** Cells of each range of a phase. */
  ranges(phase: number): number[] {
    const { info, first } = this.options;
    const ranges =
      phase === first || phase === this.last ? this.rows : levelRanges(info, phase - first);
    return ranges.map(({ cells }) => cells);
  }

  /** @param cells is called for block rows in rising order within a range */
  async work(
    phase: number,
    seq: number,
    ctx: RangeContext,
    runId: string,
    cells: CellsOf,
  ): Promise<Worked> {
    if (phase === this.options.first) {
      return this.writeCells(this.rows[seq]!, ctx, cells);
    }
    return phase === this.last
      ? { result: await this.countCells(this.rows[seq]!, ctx, runId) }
      : { write: await this.overview(phase - this.options.first, seq, ctx) };
  }

  /** Statistics, histograms and looks of the whole image, from the results of its phases. */
  async facts(results: <T>(phase: number) => Promise<T[]>): Promise<ImageFacts> {
    const { info, first } = this.options;
    const parts = this.mine(await results<HistogramResult>(this.last));
    const statistics = merge(this.mine(await results<CellsResult>(first)));
    return {
      statistics: statistics.map((one) => (one.valid ? one : { ...one, min: 0, max: 0 })),
      histograms: info.bands.map((_band, k) =>
        parts.map(({ histograms }) => histograms[k]!).reduce(mergeHistograms),
      ),
      looks: info.bands.map(({ role }, k) =>
        isPower(role) ? looksOf(parts.map(({ looks }) => looks[k]!)) : null,
      ),
    };
  }

  /** The part of the results of a phase that belongs to this image. */
  private mine<T>(all: T[]): T[] {
    const { nth = 0 } = this.options;
    const { length } = this.rows;
    return all.slice(nth * length, (nth + 1) * length);
  }

  private overview(level: number, seq: number, ctx: RangeContext) {
    const { info, imageId } = this.options;
    const range = levelRanges(info, level)[seq]!;
    return buildLevel(ctx.db, imageId, info, level, range, ctx.signal);
  }

  private async writeCells(
    { from, to }: Range,
    ctx: RangeContext,
    cells: CellsOf,
  ): Promise<Worked> {
    const { info, imageId } = this.options;
    const statistics = info.bands.map(emptyStatistics);
    const blocks: StoredBlock[] = [];
    const tell = (rows: number) => ctx.progress((rows - from) / (to - from));
    for (let row = from; row < to; row++) {
      ctx.signal.throwIfAborted();
      for (const block of await cells(row, (share) => tell(row + share))) {
        addStatistics(statistics[block.band]!, asFloat(block.cells));
        blocks.push(block);
      }
      tell(row + 1);
    }
    const result: CellsResult = { statistics: statistics.map(safe) };
    return {
      result,
      write: async (client) => {
        await removeBlocks(client, imageId, 0, from, to);
        await writeBlocks(client, imageId, blocks);
      },
    };
  }

  private async countCells(
    { from, to }: Range,
    ctx: RangeContext,
    runId: string,
  ): Promise<HistogramResult> {
    const { info, first } = this.options;
    const found = await ctx.db.withClient((client) =>
      rangeResults<CellsResult>(client, runId, first),
    );
    const totals = merge(this.mine(found));
    const histograms = info.bands.map(({ role }, k) => histogramFor(role, totals[k]!));
    const looks = info.bands.map(() => new Array<number>(LOOKS_BINS).fill(0));
    for (let row = from; row < to; row++) {
      ctx.signal.throwIfAborted();
      // Some columns at a time: a whole row of many bands would be held at once.
      for (let col = 0; col < this.across; col += COLUMNS) {
        for (const block of await this.blocks(ctx, row, col)) {
          this.count(block, histograms[block.band]!, looks[block.band]!);
        }
        const within = Math.min(1, (col + COLUMNS) / this.across);
        ctx.progress((row - from + within) / (to - from));
      }
    }
    return { histograms, looks };
  }

  private blocks(ctx: RangeContext, row: number, col: number) {
    const { info, imageId } = this.options;
    const end = Math.min(this.across, col + COLUMNS);
    return ctx.db.withClient((client) =>
      readBlocks(client, imageId, 0, row, row + 1, col, end, info.stored),
    );
  }

  private count(
    { band, row, col, cells }: DecodedBlock,
    histogram: Histogram,
    looks: number[],
  ): void {
    const { bands, grid } = this.options.info;
    const { role } = bands[band]!;
    const values = role === "amplitude" ? squared(asFloat(cells)) : asFloat(cells);
    if (!isPower(role)) {
      addToHistogram(histogram, values);
      return;
    }
    const width = Math.min(BLOCK, grid.width - col * BLOCK);
    const height = Math.min(BLOCK, grid.height - row * BLOCK);
    addLocalLooks(values, width, height, looks);
    const decibels = new Float32Array(values.length);
    toDecibel(values, decibels);
    addToHistogram(histogram, decibels);
  }
}

/** Power, or amplitudes that are looked at as power. */
const isPower = (role: string): boolean => role === "power" || role === "amplitude";

/** Looks from the counts of all parts; null where nothing even is found. */
function looksOf(parts: number[][]): number | null {
  const sums = new Array<number>(LOOKS_BINS).fill(0);
  for (const counts of parts) {
    counts.forEach((count, k) => {
      sums[k]! += count;
    });
  }
  const looks = looksAtPeak(sums);
  return Number.isFinite(looks) ? looks : null;
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
