import { type Prior, priorOf } from "./prior";
import { type AsRare, asRare } from "./student";

/** Fewest dates that tell what is normal. */
export const FEWEST_NORMAL = 3;

/** What is normal of a cell: its middle, how far a date may lie from it, and by which table that is told. */
export interface Normal {
  middle: number;
  /** Deviation of one more date from the middle; NaN where too few dates show the cell. */
  deviation: number;
  table: AsRare | null;
}

/** Deviations of the prior beyond which a date counts less, the less the farther it lies (Huber 1964). */
const FAR = 2;
const ROUNDS = 3;

function medianOf(values: Float64Array, count: number): number {
  const sorted = values.subarray(0, count).slice().sort();
  const half = count >> 1;
  return count % 2 === 1 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2;
}

/** Finds what is normal of single cells; keeps its buffers between them. */
export class NormalOf {
  private readonly values: Float64Array;
  private readonly weights: Float64Array;
  private readonly tables = new Map<number, AsRare>();

  /** @param dates that are normal, by cells; NaN is nodata */
  constructor(
    private readonly dates: readonly Float32Array[],
    private readonly prior: Prior,
  ) {
    this.values = new Float64Array(dates.length);
    this.weights = new Float64Array(dates.length);
  }

  /** What is normal of a cell; written into `out`. */
  at(cell: number, out: Normal): void {
    const { dates, values, weights, prior } = this;
    let count = 0;
    for (const date of dates) {
      const value = date[cell]!;
      if (value === value) {
        values[count++] = value;
      }
    }
    if (count < FEWEST_NORMAL) {
      out.middle = NaN;
      out.deviation = NaN;
      out.table = null;
      return;
    }
    const far = FAR * Math.sqrt(prior.variance);
    let middle = medianOf(values, count);
    let weight = 0;
    for (let round = 0; round < ROUNDS; round++) {
      weight = 0;
      let sum = 0;
      for (let k = 0; k < count; k++) {
        const off = Math.abs(values[k]! - middle);
        weights[k] = off <= far ? 1 : far / off;
        weight += weights[k]!;
        sum += weights[k]! * values[k]!;
      }
      middle = sum / weight;
    }
    let squares = 0;
    for (let k = 0; k < count; k++) {
      squares += (weights[k]! * (values[k]! - middle)) ** 2;
    }
    const own = count - 1;
    const variance =
      prior.degrees === Infinity
        ? prior.variance
        : (prior.degrees * prior.variance + squares) / (prior.degrees + own);
    out.middle = middle;
    out.deviation = Math.sqrt(variance * (1 + 1 / weight));
    out.table = this.tableOf(own);
  }

  private tableOf(own: number): AsRare {
    let table = this.tables.get(own);
    if (!table) {
      table = asRare(Math.round((this.prior.degrees + own) * 100) / 100);
      this.tables.set(own, table);
    }
    return table;
  }
}

/** Sample variance of a cell over its dates; NaN where not all of them show it. */
export function varianceAt(dates: readonly Float32Array[], cell: number): number {
  let sum = 0;
  for (const date of dates) {
    sum += date[cell]!;
  }
  const mean = sum / dates.length;
  let squares = 0;
  for (const date of dates) {
    squares += (date[cell]! - mean) ** 2;
  }
  return squares / (dates.length - 1);
}

/** The prior of the cells of some dates, every so many of them; null where too few are seen on all dates. */
export function priorOfCells(dates: readonly Float32Array[], every: number): Prior | null {
  const variances: number[] = [];
  for (let cell = 0; cell < dates[0]!.length; cell += every) {
    variances.push(varianceAt(dates, cell));
  }
  return priorOf(
    variances.filter((value) => value === value),
    dates.length - 1,
  );
}

/**
 * How far a date departs from what is normal of each cell, in deviations: a moderated t (Smyth 2004) of one
 * more date against the mean of the normal ones, given as the deviation of a normal distribution that is as
 * rare. The mean and the variance of the cell are robust (Huber 1964), so that one date among the normal ones
 * that was none does not hide the next.
 * @param normal dates, FEWEST_NORMAL or more @param date NaN is nodata, as are cells with too few dates
 */
export function departures(
  normal: readonly Float32Array[],
  date: Float32Array,
  prior: Prior,
  out: Float32Array,
): void {
  const finder = new NormalOf(normal, prior);
  const found: Normal = { middle: NaN, deviation: NaN, table: null };
  for (let i = 0; i < out.length; i++) {
    finder.at(i, found);
    out[i] = found.table ? found.table.of((date[i]! - found.middle) / found.deviation) : NaN;
  }
}
