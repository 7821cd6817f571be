import { boxSums, hasNaN } from './boxSums';

const SIZE = 7;
export const REFINED_LEE_HALO = 3;

/** Offsets (row, col) of the eight half windows, 28 cells each with the dividing line in: E, NE, N, NW, W, SW, S, SE. */
const HALVES: [number, number][][] = [
  (_r: number, c: number) => c >= 0, (r: number, c: number) => c - r >= 0, (r: number) => r <= 0, (r: number, c: number) => c + r <= 0,
  (_r: number, c: number) => c <= 0, (r: number, c: number) => c - r <= 0, (r: number) => r >= 0, (r: number, c: number) => c + r >= 0,
].map((inside) => {
  const cells: [number, number][] = [];
  for (let r = -3; r <= 3; r++) for (let c = -3; c <= 3; c++) if (inside(r, c)) cells.push([r, c]);
  return cells;
});

/**
 * Edge-aligned local statistics filter. Source: Lee 1981, "Refined filtering of image noise using local statistics":
 * nine overlapping 3 x 3 means inside a 7 x 7 window give the direction of the edge (largest of four differences); of the
 * two half windows beside that edge the one whose mean is nearer to the centre's is used for the statistics of Lee 1980.
 * Read here: the side is chosen by comparing the two outer 3 x 3 means across the edge with the middle 3 x 3 mean.
 *
 * @param src (width + 6) x (height + 6) power cells with a halo of three; NaN = nodata
 * @param looks equivalent number of looks; @param out width x height power
 * Nodata neighbours are left out of every mean; a nodata centre stays nodata.
 */
export function refinedLee(src: Float32Array, width: number, height: number, looks: number, out: Float32Array): void {
  const w = width + 6, gaps = hasNaN(src);
  const mw = width + 4, mh = height + 4;
  const mean3 = new Float64Array(mw * mh);
  const count3 = gaps ? new Float64Array(mw * mh) : null;
  boxSums(src, mw, mh, 3, mean3, null, count3);
  for (let i = 0; i < mean3.length; i++) mean3[i]! /= count3 ? count3[i]! : 9;

  const offsets = HALVES.map((cells) => Int32Array.from(cells, ([r, c]) => r * w + c));
  const half = offsets[0]!.length, cv = 1 / looks, norm = 1 / (1 + cv);
  const up = -2 * mw, down = 2 * mw;
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const k = (r + 3) * w + c + 3, z = src[k]!, o = r * width + c;
      if (z !== z) { out[o] = NaN; continue; }
      const m = (r + 2) * mw + c + 2, mid = mean3[m]!;
      let nw = mean3[m + up - 2]!, n = mean3[m + up]!, ne = mean3[m + up + 2]!, e = mean3[m + 2]!, se = mean3[m + down + 2]!, s = mean3[m + down]!, sw = mean3[m + down - 2]!, wt = mean3[m - 2]!;
      if (gaps) {
        if (nw !== nw) nw = mid; if (n !== n) n = mid; if (ne !== ne) ne = mid; if (e !== e) e = mid;
        if (se !== se) se = mid; if (s !== s) s = mid; if (sw !== sw) sw = mid; if (wt !== wt) wt = mid;
      }
      // Differences across a vertical, two diagonal and a horizontal edge.
      const gE = Math.abs(ne + e + se - nw - wt - sw), gNE = Math.abs(n + ne + e - wt - sw - s);
      const gN = Math.abs(nw + n + ne - sw - s - se), gNW = Math.abs(wt + nw + n - e - se - s);
      let d = 0, a = e, b = wt, g = gE;
      if (gNE > g) { g = gNE; d = 1; a = ne; b = sw; }
      if (gN > g) { g = gN; d = 2; a = n; b = s; }
      if (gNW > g) { d = 3; a = nw; b = se; }
      if (Math.abs(a - mid) > Math.abs(b - mid)) d += 4;

      const off = offsets[d]!;
      let sum = 0, squares = 0, count = half;
      for (let i = 0; i < half; i++) { const v = src[k + off[i]!]!; sum += v; squares += v * v; }
      if (sum !== sum) {
        sum = 0; squares = 0; count = 0;
        for (let i = 0; i < half; i++) { const v = src[k + off[i]!]!; if (v === v) { sum += v; squares += v * v; count++; } }
      }
      const mean = sum / count, v = squares / count - mean * mean, vx = (v - mean * mean * cv) * norm;
      out[o] = vx > 0 ? mean + (vx / v) * (z - mean) : mean;
    }
  }
}

export const REFINED_LEE_WINDOW = SIZE;
