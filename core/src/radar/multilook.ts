/**
 * Mean of power over blocks of cells. NaN cells are left out; a block of nothing but NaN is NaN.
 * @param src (width · across) x (height · down) cells; @param out width x height
 */
export function multilook(
  src: Float32Array,
  width: number,
  height: number,
  across: number,
  down: number,
  out: Float32Array,
): void {
  const w = width * across;
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      let s = 0;
      let n = 0;
      for (let j = 0; j < down; j++) {
        for (let k = (r * down + j) * w + c * across, e = k + across; k < e; k++) {
          const value = src[k]!;
          if (value === value) {
            s += value;
            n++;
          }
        }
      }
      out[r * width + c] = n ? s / n : NaN;
    }
  }
}
