/**
 * Mean over a square of 2·half + 1 cells that leaves NaN out; NaN where the square holds no value.
 * Running sums: the time does not depend on the size.
 * Past the edge there are no cells.
 */
export function boxMean(
  src: Float32Array,
  width: number,
  height: number,
  half: number,
  out: Float32Array,
): void {
  const sum = new Float64Array(width * height);
  const count = new Float64Array(width * height);
  for (let r = 0; r < height; r++) {
    let s = 0;
    let n = 0;
    const row = r * width;
    const add = (c: number, k: number) => {
      if (c >= 0 && c < width) {
        const value = src[row + c]!;
        if (value === value) {
          s += k * value;
          n += k;
        }
      }
    };
    for (let c = -half; c < half; c++) {
      add(c, 1);
    }
    for (let c = 0; c < width; c++) {
      add(c + half, 1);
      if (c > half) {
        add(c - half - 1, -1);
      }
      sum[row + c] = s;
      count[row + c] = n;
    }
  }
  const s = new Float64Array(width);
  const n = new Float64Array(width);
  const add = (r: number, k: number) => {
    if (r >= 0 && r < height) {
      for (let c = 0; c < width; c++) {
        s[c]! += k * sum[r * width + c]!;
        n[c]! += k * count[r * width + c]!;
      }
    }
  };
  for (let r = -half; r < half; r++) {
    add(r, 1);
  }
  for (let r = 0; r < height; r++) {
    add(r + half, 1);
    if (r > half) {
      add(r - half - 1, -1);
    }
    for (let c = 0; c < width; c++) {
      out[r * width + c] = n[c]! > 0.5 ? s[c]! / n[c]! : NaN;
    }
  }
}

/**
 * Box means one after the other come near a bell; where the first finds nothing, one of three times
 * the size does. Reaches 3·half cells.
 */
export function smoothMap(
  src: Float32Array,
  width: number,
  height: number,
  half: number,
): Float32Array {
  const a = new Float32Array(width * height);
  const b = new Float32Array(width * height);
  const wide = new Float32Array(width * height);
  boxMean(src, width, height, half, a);
  boxMean(a, width, height, half, b);
  boxMean(src, width, height, 3 * half, wide);
  for (let i = 0; i < b.length; i++) {
    const value = b[i]!;
    if (value !== value) {
      b[i] = wide[i]!;
    }
  }
  return b;
}
