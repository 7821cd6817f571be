export const TIME_STATISTICS = [
  "mean",
  "median",
  "min",
  "max",
  "deviation",
  "count",
  "mode",
  "percentile",
] as const;
export type TimeStatistic = (typeof TIME_STATISTICS)[number];

/**
 * One statistic of several dates, cell by cell. NaN dates are left out; where no date has a value
 * the result is NaN (count: 0).
 * The deviation is of the sample (n − 1) and needs two dates; the median of an even count is the
 * mean of the two in the middle;
 * a percentile lies between its neighbours in order. The mode is the value around which the dates
 * lie closest (half-sample mode, Bickel & Frühwirth 2006).
 * @param percent of the percentile, 0 to 100
 */
export function overTime(
  dates: readonly Float32Array[],
  statistic: TimeStatistic,
  out: Float32Array,
  percent = 50,
): void {
  const values = new Float64Array(dates.length);
  for (let i = 0; i < out.length; i++) {
    let n = 0;
    let sum = 0;
    for (const date of dates) {
      const value = date[i]!;
      if (value === value) {
        values[n++] = value;
        sum += value;
      }
    }
    if (statistic === "count") {
      out[i] = n;
      continue;
    }
    if (n === 0) {
      out[i] = NaN;
      continue;
    }
    const seen = values.subarray(0, n);
    if (statistic === "mean") {
      out[i] = sum / n;
    } else if (statistic === "median") {
      seen.sort();
      out[i] = n & 1 ? seen[n >> 1]! : (seen[(n >> 1) - 1]! + seen[n >> 1]!) / 2;
    } else if (statistic === "percentile") {
      seen.sort();
      const at = (percent / 100) * (n - 1);
      const k = Math.floor(at);
      out[i] = k + 1 < n ? seen[k]! + (seen[k + 1]! - seen[k]!) * (at - k) : seen[k]!;
    } else if (statistic === "mode") {
      seen.sort();
      out[i] = halfSampleMode(seen);
    } else if (statistic === "deviation") {
      const m = sum / n;
      let squares = 0;
      for (const x of seen) {
        squares += (x - m) ** 2;
      }
      out[i] = n > 1 ? Math.sqrt(squares / (n - 1)) : NaN;
    } else {
      let m = seen[0]!;
      for (const x of seen) {
        m = statistic === "min" ? Math.min(m, x) : Math.max(m, x);
      }
      out[i] = m;
    }
  }
}

/**
 * Mode of ordered values: again and again the half of them that lies closest together, until two or
 * three are left.
 */
function halfSampleMode(values: Float64Array): number {
  let from = 0;
  let n = values.length;
  while (n > 3) {
    const half = Math.ceil(n / 2);
    let best = from;
    for (let k = from; k + half <= from + n; k++) {
      if (values[k + half - 1]! - values[k]! < values[best + half - 1]! - values[best]!) {
        best = k;
      }
    }
    if (values[best + half - 1] === values[best]) {
      return values[best]!;
    }
    from = best;
    n = half;
  }
  if (n === 3) {
    const a = values[from + 1]! - values[from]!;
    const b = values[from + 2]! - values[from + 1]!;
    if (a === b) {
      return values[from + 1]!;
    }
    if (a < b) {
      return (values[from]! + values[from + 1]!) / 2;
    }
    return (values[from + 1]! + values[from + 2]!) / 2;
  }
  return n === 2 ? (values[from]! + values[from + 1]!) / 2 : values[from]!;
}
