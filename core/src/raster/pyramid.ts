import { CLASS_NODATA } from "./block";

/**
 * One level coarser by 2 x 2 cells. Sizes round up; the cells past the edge do not count.
 * Mean of the valid cells (power stays power); NaN only where all four are NaN.
 * @param src width x height cells; @param out ceil(width/2) x ceil(height/2) cells
 */
export function halveMean(
  src: Float32Array,
  width: number,
  height: number,
  out: Float32Array,
): void {
  const ow = (width + 1) >> 1;
  const oh = (height + 1) >> 1;
  for (let r = 0; r < oh; r++) {
    const a = 2 * r * width;
    const b = 2 * r + 1 < height ? a + width : a;
    for (let c = 0; c < ow; c++) {
      const i = 2 * c;
      const j = i + 1 < width ? i + 1 : i;
      const first = src[a + i]!;
      const second = src[a + j]!;
      const third = src[b + i]!;
      const value = src[b + j]!;
      const s = first + second + third + value;
      if (s === s) {
        out[r * ow + c] = s / 4;
        continue;
      }
      let sum = 0;
      let n = 0;
      if (first === first) {
        sum += first;
        n++;
      }
      if (second === second) {
        sum += second;
        n++;
      }
      if (third === third) {
        sum += third;
        n++;
      }
      if (value === value) {
        sum += value;
        n++;
      }
      out[r * ow + c] = n ? sum / n : NaN;
    }
  }
}

/**
 * One level coarser by the most frequent label; nodata only where all are; of equals the first in
 * reading order.
 */
export function halveMode(src: Uint8Array, width: number, height: number, out: Uint8Array): void {
  const ow = (width + 1) >> 1;
  const oh = (height + 1) >> 1;
  const four = new Uint8Array(4);
  for (let r = 0; r < oh; r++) {
    const a = 2 * r * width;
    const b = 2 * r + 1 < height ? a + width : a;
    for (let c = 0; c < ow; c++) {
      const i = 2 * c;
      const j = i + 1 < width ? i + 1 : i;
      four[0] = src[a + i]!;
      four[1] = src[a + j]!;
      four[2] = src[b + i]!;
      four[3] = src[b + j]!;
      let best = CLASS_NODATA;
      let most = 0;
      for (let k = 0; k < 4; k++) {
        const value = four[k]!;
        if (value === CLASS_NODATA) {
          continue;
        }
        let n = 0;
        for (let m = 0; m < 4; m++) {
          if (four[m] === value) {
            n++;
          }
        }
        if (n > most) {
          most = n;
          best = value;
        }
      }
      out[r * ow + c] = best;
    }
  }
}

/**
 * Halves amplitudes by the root of the mean power, so that overviews keep the backscatter. NaN as
 * in halveMean; src is changed.
 */
export function halveRms(
  src: Float32Array,
  width: number,
  height: number,
  out: Float32Array,
): void {
  for (let i = 0; i < src.length; i++) {
    src[i]! *= src[i]!;
  }
  halveMean(src, width, height, out);
  for (let i = 0; i < out.length; i++) {
    out[i] = Math.sqrt(out[i]!);
  }
}

/**
 * One level coarser by the first cell of each four: for bits and codes, of which a mean means
 * nothing.
 */
export function halveFirst(
  src: Float32Array,
  width: number,
  height: number,
  out: Float32Array,
): void {
  const ow = (width + 1) >> 1;
  const oh = (height + 1) >> 1;
  for (let r = 0; r < oh; r++) {
    for (let c = 0; c < ow; c++) {
      out[r * ow + c] = src[2 * r * width + 2 * c]!;
    }
  }
}
