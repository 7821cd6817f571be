export const TIME_STATISTICS = ['mean', 'median', 'min', 'max', 'deviation', 'count'] as const;
export type TimeStatistic = (typeof TIME_STATISTICS)[number];

/**
 * One statistic of several dates, cell by cell. NaN dates are left out; where no date has a value the result is NaN (count: 0).
 * The deviation is of the sample (n − 1) and needs two dates; the median of an even count is the mean of the two in the middle.
 */
export function overTime(dates: readonly Float32Array[], statistic: TimeStatistic, out: Float32Array): void {
  const values = new Float64Array(dates.length);
  for (let i = 0; i < out.length; i++) {
    let n = 0, sum = 0;
    for (const d of dates) { const v = d[i]!; if (v === v) { values[n++] = v; sum += v; } }
    if (statistic === 'count') { out[i] = n; continue; }
    if (n === 0) { out[i] = NaN; continue; }
    const v = values.subarray(0, n);
    if (statistic === 'mean') out[i] = sum / n;
    else if (statistic === 'median') { v.sort(); out[i] = n & 1 ? v[n >> 1]! : (v[(n >> 1) - 1]! + v[n >> 1]!) / 2; }
    else if (statistic === 'deviation') { const m = sum / n; let q = 0; for (const x of v) q += (x - m) ** 2; out[i] = n > 1 ? Math.sqrt(q / (n - 1)) : NaN; }
    else { let m = v[0]!; for (const x of v) m = statistic === 'min' ? Math.min(m, x) : Math.max(m, x); out[i] = m; }
  }
}
