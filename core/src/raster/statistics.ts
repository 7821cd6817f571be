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

export const emptyStatistics = (): Statistics => ({
  cells: 0,
  valid: 0,
  min: Infinity,
  max: -Infinity,
  sum: 0,
  sumSquares: 0,
});

/** Adds cells to `s`. NaN is nodata. Sums are taken in double precision. */
export function addStatistics(s: Statistics, cells: ArrayLike<number>): void {
  let { valid, min, max, sum, sumSquares } = s;
  const n = cells.length;
  for (let i = 0; i < n; i++) {
    const v = cells[i]!;
    if (v !== v) {
      continue;
    }
    valid++;
    if (v < min) {
      min = v;
    }
    if (v > max) {
      max = v;
    }
    sum += v;
    sumSquares += v * v;
  }
  s.cells += n;
  s.valid = valid;
  s.min = min;
  s.max = max;
  s.sum = sum;
  s.sumSquares = sumSquares;
}

export function mergeStatistics(a: Statistics, b: Statistics): Statistics {
  return {
    cells: a.cells + b.cells,
    valid: a.valid + b.valid,
    min: Math.min(a.min, b.min),
    max: Math.max(a.max, b.max),
    sum: a.sum + b.sum,
    sumSquares: a.sumSquares + b.sumSquares,
  };
}

export function meanAndDeviation(s: Statistics): { mean: number; deviation: number } {
  const mean = s.sum / s.valid;
  return { mean, deviation: Math.sqrt(Math.max(0, s.sumSquares / s.valid - mean * mean)) };
}
