/**
 * Count, extent and moments of valid cells. Merges, so that it can be gathered block by block in
 * any order.
 */
export interface Statistics {
  cells: number;
  valid: number;
  min: number;
  max: number;
  sum: number;
  sumSquares: number;
}

/** Statistics of no cell. */
export const emptyStatistics = (): Statistics => ({
  cells: 0,
  valid: 0,
  min: Infinity,
  max: -Infinity,
  sum: 0,
  sumSquares: 0,
});

/** Adds cells to `s`. NaN is nodata. Sums are taken in double precision. */
export function addStatistics(statistics: Statistics, cells: ArrayLike<number>): void {
  let { valid, min, max, sum, sumSquares } = statistics;
  const n = cells.length;
  for (let i = 0; i < n; i++) {
    const value = cells[i]!;
    if (value !== value) {
      continue;
    }
    valid++;
    if (value < min) {
      min = value;
    }
    if (value > max) {
      max = value;
    }
    sum += value;
    sumSquares += value * value;
  }
  statistics.cells += n;
  statistics.valid = valid;
  statistics.min = min;
  statistics.max = max;
  statistics.sum = sum;
  statistics.sumSquares = sumSquares;
}

/** Statistics of two sets of cells as those of both. */
export function mergeStatistics(statistics: Statistics, b: Statistics): Statistics {
  return {
    cells: statistics.cells + b.cells,
    valid: statistics.valid + b.valid,
    min: Math.min(statistics.min, b.min),
    max: Math.max(statistics.max, b.max),
    sum: statistics.sum + b.sum,
    sumSquares: statistics.sumSquares + b.sumSquares,
  };
}

/** Mean and standard deviation of the valid cells; NaN where there is none. */
export function meanAndDeviation(statistics: Statistics): { mean: number; deviation: number } {
  const mean = statistics.sum / statistics.valid;
  return {
    mean,
    deviation: Math.sqrt(Math.max(0, statistics.sumSquares / statistics.valid - mean * mean)),
  };
}
