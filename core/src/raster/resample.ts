import { Workspace } from "../wasm/kernels";
import { CLASS_NODATA, type Cells } from "./block";

/**
 * Value of the cell that holds each position. Positions are in cells with (0, 0) the outer corner
 * of the first cell.
 * Outside the image: nodata.
 */
export function nearest(
  src: Cells,
  width: number,
  height: number,
  xs: Float64Array,
  ys: Float64Array,
  out: Cells,
): void {
  const empty = src instanceof Float32Array ? NaN : CLASS_NODATA;
  for (let i = 0; i < out.length; i++) {
    const c = Math.floor(xs[i]!);
    const r = Math.floor(ys[i]!);
    out[i] = c >= 0 && r >= 0 && c < width && r < height ? src[r * width + c]! : empty;
  }
}

/**
 * Bilinear between the four nearest cell centres. Nodata neighbours are left out and the weights of
 * the others scaled up; when
 * the cell that holds the position is nodata or outside, or the position NaN, the result is nodata,
 * so images neither grow nor shrink.
 * @param src width x height cells; @param xs,ys a position a sample, in cells from the outer
 * corner; @param out as long as they are
 */
export function bilinear(
  src: Float32Array,
  width: number,
  height: number,
  xs: Float64Array,
  ys: Float64Array,
  out: Float32Array,
): void {
  sample("sampleBilinear", src, width, height, xs, ys, out);
}

/**
 * Cubic convolution over 4 x 4 cells (Keys 1981, a = −½); bilinear as above where one of them is
 * nodata or outside, or where the curve would swing below 0.
 */
export function cubic(
  src: Float32Array,
  width: number,
  height: number,
  xs: Float64Array,
  ys: Float64Array,
  out: Float32Array,
): void {
  sample("sampleCubic", src, width, height, xs, ys, out);
}

function sample(
  kernel: "sampleBilinear" | "sampleCubic",
  src: Float32Array,
  width: number,
  height: number,
  xs: Float64Array,
  ys: Float64Array,
  out: Float32Array,
): void {
  const space = Workspace.begin();
  const n = out.length;
  const a = space.take(src.length * 4);
  const x = space.take(n * 8);
  const y = space.take(n * 8);
  const to = space.take(n * 4);
  space.f32(a, src.length).set(src);
  space.f64(x, n).set(xs);
  space.f64(y, n).set(ys);
  space.kernels[kernel](a, width, height, x, y, to, n);
  out.set(space.f32(to, n));
}
