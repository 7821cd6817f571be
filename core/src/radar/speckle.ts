import { hasNaN } from "../raster/block";
import type { Window } from "../grid/grid";
import { Workspace, inStrips } from "../wasm/kernels";

/**
 * Mean of power over an odd square window. Nodata neighbours are left out; a nodata centre stays
 * nodata.
 * @param src (width + size − 1) x (height + size − 1) cells; @param out width x height
 */
export function boxcar(
  src: Float32Array,
  width: number,
  height: number,
  size: number,
  out: Float32Array,
): void {
  eachWindow(src, width, height, size, out, (s, _q, n) => s / n);
}

/**
 * Median of power over an odd square window; of an even count the lower middle. Nodata neighbours
 * are left out; a nodata centre stays
 * nodata. A 3 x 3 window without nodata goes through a sorting network.
 */
export function median(
  src: Float32Array,
  width: number,
  height: number,
  size: number,
  out: Float32Array,
): void {
  if (size === 3 && !hasNaN(src)) {
    inStrips(src, width, height, 1, out, 0, (kernels, at, rows, to) =>
      kernels.median3(at, width, rows, to),
    );
    return;
  }
  const halo = size - 1;
  const across = Math.min(width, TILE);
  const down = Math.max(1, Math.floor(MOST_RANKS / (across + halo)) - halo);
  for (let row = 0; row < height; row += down) {
    for (let col = 0; col < width; col += across) {
      const tile = {
        col,
        row,
        width: Math.min(across, width - col),
        height: Math.min(down, height - row),
      };
      medianOfTile(src, width + halo, tile, size, out, width);
    }
  }
}

/** Cells across a tile of medians at most, and cells with their halo that have ranks of their own. */
const TILE = 1024;
const MOST_RANKS = 65_535;

/** Medians of a part of the output. @param stride cells of a row of the source */
function medianOfTile(
  src: Float32Array,
  stride: number,
  { col, row, width, height }: Window,
  size: number,
  out: Float32Array,
  outWidth: number,
): void {
  const workspace = Workspace.begin();
  const wide = width + size - 1;
  const high = height + size - 1;
  const at = workspace.take(wide * high * 4);
  const to = workspace.take(width * height * 4);
  const scratch = workspace.take(workspace.kernels.medianScratch(wide * high));
  const cells = workspace.f32(at, wide * high);
  for (let r = 0; r < high; r++) {
    const from = (row + r) * stride + col;
    cells.set(src.subarray(from, from + wide), r * wide);
  }
  workspace.kernels.medianTile(at, width, height, size, to, scratch);
  const found = workspace.f32(to, width * height);
  for (let r = 0; r < height; r++) {
    out.set(found.subarray(r * width, (r + 1) * width), (row + r) * outWidth + col);
  }
}

/**
 * Gamma maximum a posteriori. Source: Lopes, Nezry, Touzi & Laur 1990: with Ci the local and Cu =
 * 1/√L the speckle's coefficient of
 * variation, Cmax = √2·Cu, α = (1 + Cu²)/(Ci² − Cu²); mean where Ci ≤ Cu, the cell itself where Ci
 * ≥ Cmax, else
 * ((α − L − 1)·m + √(m²(α − L − 1)² + 4αLzm))/(2α).
 * Nodata neighbours are left out; a nodata centre stays nodata. Cells at or below zero (noise was
 * taken off) come out as the mean.
 */
export function gammaMap(
  src: Float32Array,
  width: number,
  height: number,
  size: number,
  looks: number,
  out: Float32Array,
): void {
  const cu2 = 1 / looks;
  eachWindow(src, width, height, size, out, (s, squares, n, z) => {
    const m = s / n;
    const ci2 = (squares / n - m * m) / (m * m);
    if (!(ci2 > cu2) || !(m > 0) || !(z > 0)) {
      return m;
    }
    if (ci2 >= 2 * cu2) {
      return z;
    }
    const alpha = (1 + cu2) / (ci2 - cu2);
    const b = alpha - looks - 1;
    return (b * m + Math.sqrt(m * m * b * b + 4 * alpha * looks * z * m)) / (2 * alpha);
  });
}

/**
 * Calls back with the sum, the sum of squares, the count and the centre of each window; sums in one
 * fixed order.
 */
function eachWindow(
  src: Float32Array,
  width: number,
  height: number,
  size: number,
  out: Float32Array,
  of: (sum: number, squares: number, n: number, z: number) => number,
): void {
  const h = (size - 1) >> 1;
  const w = width + 2 * h;
  const sums = new Float64Array(w);
  const squares = new Float64Array(w);
  const counts = new Float64Array(w);
  for (let r = 0; r < height; r++) {
    sums.fill(0);
    squares.fill(0);
    counts.fill(0);
    for (let j = 0; j < size; j++) {
      for (let c = 0, k = (r + j) * w; c < w; c++, k++) {
        const value = src[k]!;
        if (value === value) {
          sums[c]! += value;
          squares[c]! += value * value;
          counts[c]!++;
        }
      }
    }
    for (let c = 0; c < width; c++) {
      const z = src[(r + h) * w + c + h]!;
      if (z !== z) {
        out[r * width + c] = NaN;
        continue;
      }
      let s = 0;
      let next = 0;
      let n = 0;
      for (let k = c; k < c + size; k++) {
        s += sums[k]!;
        next += squares[k]!;
        n += counts[k]!;
      }
      out[r * width + c] = of(s, next, n, z);
    }
  }
}

/**
 * Multi-temporal filter. Source: Quegan & Yu 2001, for independent dates: J_k = (m_k / N)·Σ I_i /
 * m_i with m_i the local mean of date i.
 * A date that is nodata at a cell is left out there; a nodata cell of date k stays nodata.
 * @param dates each (width + size − 1) x (height + size − 1) cells of power on one grid; @param k
 * the date wanted
 */
export function multiTemporal(
  dates: readonly Float32Array[],
  k: number,
  width: number,
  height: number,
  size: number,
  out: Float32Array,
): void {
  const n = width * height;
  const h = (size - 1) >> 1;
  const w = width + 2 * h;
  const mean = new Float32Array(n);
  const own = new Float32Array(n);
  const sum = new Float64Array(n);
  const count = new Uint8Array(n);
  dates.forEach((date, i) => {
    boxcar(date, width, height, size, mean);
    if (i === k) {
      own.set(mean);
    }
    for (let r = 0; r < height; r++) {
      for (let c = 0; c < width; c++) {
        const offset = r * width + c;
        const value = date[(r + h) * w + c + h]! / mean[offset]!;
        if (Number.isFinite(value)) {
          sum[offset]! += value;
          count[offset]!++;
        }
      }
    }
  });
  for (let i = 0; i < n; i++) {
    out[i] = count[i] ? (own[i]! * sum[i]!) / count[i]! : NaN;
  }
}
