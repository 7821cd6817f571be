import { CLASS_NODATA, type Cells } from './block';

/**
 * Value of the cell that holds each position. Positions are in cells with (0, 0) the outer corner of the first cell.
 * Outside the image: nodata.
 */
export function nearest(src: Cells, width: number, height: number, xs: Float64Array, ys: Float64Array, out: Cells): void {
  const empty = src instanceof Float32Array ? NaN : CLASS_NODATA;
  for (let i = 0; i < out.length; i++) {
    const c = Math.floor(xs[i]!), r = Math.floor(ys[i]!);
    out[i] = c >= 0 && r >= 0 && c < width && r < height ? src[r * width + c]! : empty;
  }
}

/**
 * Bilinear between the four nearest cell centres. Nodata neighbours are left out and the weights of the others scaled up; when
 * the cell that holds the position is nodata or outside, the result is nodata, so images neither grow nor shrink.
 */
export function bilinear(src: Float32Array, width: number, height: number, xs: Float64Array, ys: Float64Array, out: Float32Array): void {
  for (let i = 0; i < out.length; i++) {
    const x = xs[i]!, y = ys[i]!, c = Math.floor(x), r = Math.floor(y);
    if (!(c >= 0 && r >= 0 && c < width && r < height) || src[r * width + c] !== src[r * width + c]) { out[i] = NaN; continue; }
    const c0 = Math.floor(x - 0.5), r0 = Math.floor(y - 0.5), fx = x - 0.5 - c0, fy = y - 0.5 - r0;
    let sum = 0, weight = 0;
    for (let k = 0; k < 4; k++) {
      const cc = c0 + (k & 1), rr = r0 + (k >> 1), w = ((k & 1) ? fx : 1 - fx) * ((k >> 1) ? fy : 1 - fy);
      if (w === 0 || cc < 0 || rr < 0 || cc >= width || rr >= height) continue;
      const v = src[rr * width + cc]!;
      if (v === v) { sum += w * v; weight += w; }
    }
    out[i] = weight > 0 ? sum / weight : NaN;
  }
}
