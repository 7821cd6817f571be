import { hasNaN } from "./block";

/** Which of the means around a cell is taken. */
export type NearbySide = "lowest" | "highest";

/** Cells beyond a window that `nearby` looks at. */
export const nearbyHalo = (meanCells: number, withinCells: number): number =>
  (meanCells - 1) / 2 + withinCells;

/**
 * The lowest or highest of the means around a cell: means over `meanCells` x `meanCells` cells, of
 * all whose middle lies within `withinCells` of the cell along either axis. Something that is strong
 * here is seen from its fringe; a lone cell that noise made strong is not.
 *
 * @param src (width + 2h) x (height + 2h) cells, h = `nearbyHalo`; NaN = nodata, left out of means
 * @param meanCells odd; @param out width x height; nodata where the cell itself is
 * Sums are taken in one order for each cell, so that no cell depends on its block.
 */
export function nearby(
  src: Float32Array,
  width: number,
  height: number,
  meanCells: number,
  withinCells: number,
  side: NearbySide,
  out: Float32Array,
): void {
  const halo = nearbyHalo(meanCells, withinCells);
  const wide = width + 2 * halo;
  const high = height + 2 * halo;
  const means = boxMeans(src, wide, high, meanCells);
  const w = wide - meanCells + 1;
  const h = high - meanCells + 1;
  const found = withinCells > 0 ? extremes(means, w, h, withinCells, side) : means;
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const own = src[(r + halo) * wide + c + halo]!;
      out[r * width + c] = own === own ? found[r * width + c]! : NaN;
    }
  }
}

/** Means of windows that lie wholly inside, by rows and then by columns; NaN where none is seen. */
const boxMeans = (src: Float32Array, wide: number, high: number, size: number): Float32Array =>
  size === 3 && !hasNaN(src) ? threeMeans(src, wide, high) : anyMeans(src, wide, high, size);

/** Means of three by three cells, all of which are seen. */
function threeMeans(src: Float32Array, wide: number, high: number): Float32Array {
  const w = wide - 2;
  const h = high - 2;
  const sums = new Float64Array(w * high);
  for (let r = 0; r < high; r++) {
    for (let c = 0, i = r * w, k = r * wide; c < w; c++, i++, k++) {
      sums[i] = src[k]! + src[k + 1]! + src[k + 2]!;
    }
  }
  const means = new Float32Array(w * h);
  for (let i = 0; i < means.length; i++) {
    means[i] = (sums[i]! + sums[i + w]! + sums[i + 2 * w]!) / 9;
  }
  return means;
}

function anyMeans(src: Float32Array, wide: number, high: number, size: number): Float32Array {
  const w = wide - size + 1;
  const h = high - size + 1;
  const sums = new Float64Array(w * high);
  const seen = new Uint8Array(w * high);
  for (let r = 0; r < high; r++) {
    for (let c = 0; c < w; c++) {
      let sum = 0;
      let n = 0;
      for (let k = r * wide + c, end = k + size; k < end; k++) {
        const value = src[k]!;
        if (value === value) {
          sum += value;
          n++;
        }
      }
      sums[r * w + c] = sum;
      seen[r * w + c] = n;
    }
  }
  const means = new Float32Array(w * h);
  for (let i = 0; i < means.length; i++) {
    let sum = 0;
    let n = 0;
    for (let k = i, end = i + size * w; k < end; k += w) {
      sum += sums[k]!;
      n += seen[k]!;
    }
    means[i] = n ? sum / n : NaN;
  }
  return means;
}

/** Lowest or highest of three by three cells, all of which are seen. */
function threeExtremes(src: Float32Array, wide: number, high: number, sign: 1 | -1): Float32Array {
  const w = wide - 2;
  const h = high - 2;
  const rows = new Float32Array(w * high);
  for (let r = 0; r < high; r++) {
    for (let c = 0, i = r * w, k = r * wide; c < w; c++, i++, k++) {
      const a = sign * src[k]!;
      const b = sign * src[k + 1]!;
      const last = sign * src[k + 2]!;
      const lower = a < b ? a : b;
      rows[i] = lower < last ? lower : last;
    }
  }
  const out = new Float32Array(w * h);
  for (let i = 0; i < out.length; i++) {
    const a = rows[i]!;
    const b = rows[i + w]!;
    const last = rows[i + 2 * w]!;
    const lower = a < b ? a : b;
    out[i] = sign * (lower < last ? lower : last);
  }
  return out;
}

/** Lowest or highest in squares of 2·reach + 1 cells that lie wholly inside; NaN is passed over. */
function extremes(
  src: Float32Array,
  wide: number,
  high: number,
  reach: number,
  side: NearbySide,
): Float32Array {
  const sign = side === "lowest" ? 1 : -1;
  if (reach === 1 && !hasNaN(src)) {
    return threeExtremes(src, wide, high, sign);
  }
  const w = wide - 2 * reach;
  const h = high - 2 * reach;
  const rows = new Float32Array(w * high);
  for (let r = 0; r < high; r++) {
    for (let c = 0; c < w; c++) {
      let best = Infinity;
      for (let k = r * wide + c, end = k + 2 * reach; k <= end; k++) {
        const value = sign * src[k]!;
        best = value < best ? value : best;
      }
      rows[r * w + c] = best;
    }
  }
  const out = new Float32Array(w * h);
  for (let i = 0; i < out.length; i++) {
    let best = Infinity;
    for (let k = i, end = i + 2 * reach * w; k <= end; k += w) {
      best = rows[k]! < best ? rows[k]! : best;
    }
    out[i] = best === Infinity ? NaN : sign * best;
  }
  return out;
}
