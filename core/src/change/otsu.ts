import { type Histogram, binEdge } from '../raster/histogram';

/**
 * Threshold with the largest between-class variance. Source: Otsu 1979. Exhaustive over the edges between bins, which is
 * what the published criterion asks for. Of equal maxima (a gap between two lumps) the middle one is taken.
 * @returns value at a bin edge; NaN when fewer than two bins hold anything
 */
export function otsu(h: Histogram): number {
  const { counts } = h, bins = counts.length;
  let total = 0, moment = 0;
  for (let i = 0; i < bins; i++) { total += counts[i]!; moment += counts[i]! * (i + 0.5); }
  let n0 = 0, m0 = 0, best = 0, first = -1, last = -1;
  for (let k = 1; k < bins; k++) {
    n0 += counts[k - 1]!; m0 += counts[k - 1]! * (k - 0.5);
    const n1 = total - n0;
    if (n0 === 0 || n1 === 0) continue;
    const d = m0 / n0 - (moment - m0) / n1, v = n0 * n1 * d * d;
    if (v > best * (1 + 1e-12)) { best = v; first = last = k; } else if (v >= best * (1 - 1e-12) && last >= 0) last = k;
  }
  return first < 0 ? NaN : binEdge(h, (first + last) / 2);
}
