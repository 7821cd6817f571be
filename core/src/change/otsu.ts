import { type Histogram, binEdge } from "../raster/histogram";

/**
 * Threshold with the largest between-class variance. Source: Otsu 1979. Exhaustive over the edges
 * between bins, which is
 * what the published criterion asks for. Of equal maxima (a gap between two lumps) the middle one
 * is taken.
 * @returns value at a bin edge; NaN when fewer than two bins hold anything
 */
export function otsu(histogram: Histogram): number {
  const { counts } = histogram;
  const bins = counts.length;
  let total = 0;
  let moment = 0;
  for (let i = 0; i < bins; i++) {
    total += counts[i]!;
    moment += counts[i]! * (i + 0.5);
  }
  let n0 = 0;
  let m0 = 0;
  let best = 0;
  let first = -1;
  let last = -1;
  for (let k = 1; k < bins; k++) {
    n0 += counts[k - 1]!;
    m0 += counts[k - 1]! * (k - 0.5);
    const n1 = total - n0;
    if (n0 === 0 || n1 === 0) {
      continue;
    }
    const distance = m0 / n0 - (moment - m0) / n1;
    const value = n0 * n1 * distance * distance;
    if (value > best * (1 + 1e-12)) {
      best = value;
      first = last = k;
    } else if (value >= best * (1 - 1e-12) && last >= 0) {
      last = k;
    }
  }
  return first < 0 ? NaN : binEdge(histogram, (first + last) / 2);
}

/**
 * The two thresholds that split a histogram in three with the largest between-class variance.
 * Source: Otsu 1979 for more than two classes; exhaustive over all
 * pairs of edges between bins. Of equal maxima the first is taken. NaN where fewer than three bins
 * hold anything.
 */
export function otsuThree(histogram: Histogram): [number, number] {
  const { counts } = histogram;
  const bins = counts.length;
  const n = new Float64Array(bins + 1);
  const m = new Float64Array(bins + 1);
  for (let i = 0; i < bins; i++) {
    n[i + 1] = n[i]! + counts[i]!;
    m[i + 1] = m[i]! + counts[i]! * (i + 0.5);
  }
  // With the total given, the variance between classes grows with the sum of squared moments over
  // counts.
  const part = (a: number, b: number): number => {
    const k = n[b]! - n[a]!;
    const s = m[b]! - m[a]!;
    return k > 0 ? (s * s) / k : NaN;
  };
  let best = -Infinity;
  let at: [number, number] = [NaN, NaN];
  for (let j = 1; j < bins - 1; j++) {
    const low = part(0, j);
    if (!(low >= 0)) {
      continue;
    }
    for (let k = j + 1; k < bins; k++) {
      const value = low + part(j, k) + part(k, bins);
      if (value > best * (1 + 1e-12)) {
        best = value;
        at = [binEdge(histogram, j), binEdge(histogram, k)];
      }
    }
  }
  return at;
}
