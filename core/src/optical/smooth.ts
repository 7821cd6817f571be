/**
 * Mean over a square of 2·half + 1 cells that leaves NaN out; NaN where the square holds no value.
 * Running sums: the time does not depend on the size.
 * Past the edge there are no cells.
 */
export function boxMean(
  src: Float32Array,
  W: number,
  H: number,
  half: number,
  out: Float32Array,
): void {
  const sum = new Float64Array(W * H);
  const count = new Float64Array(W * H);
  for (let r = 0; r < H; r++) {
    let s = 0;
    let n = 0;
    const row = r * W;
    const add = (c: number, k: number) => {
      if (c >= 0 && c < W) {
        const v = src[row + c]!;
        if (v === v) {
          s += k * v;
          n += k;
        }
      }
    };
    for (let c = -half; c < half; c++) {
      add(c, 1);
    }
    for (let c = 0; c < W; c++) {
      add(c + half, 1);
      if (c > half) {
        add(c - half - 1, -1);
      }
      sum[row + c] = s;
      count[row + c] = n;
    }
  }
  const s = new Float64Array(W);
  const n = new Float64Array(W);
  const add = (r: number, k: number) => {
    if (r >= 0 && r < H) {
      for (let c = 0; c < W; c++) {
        s[c]! += k * sum[r * W + c]!;
        n[c]! += k * count[r * W + c]!;
      }
    }
  };
  for (let r = -half; r < half; r++) {
    add(r, 1);
  }
  for (let r = 0; r < H; r++) {
    add(r + half, 1);
    if (r > half) {
      add(r - half - 1, -1);
    }
    for (let c = 0; c < W; c++) {
      out[r * W + c] = n[c]! > 0.5 ? s[c]! / n[c]! : NaN;
    }
  }
}

/**
 * Box means one after the other come near a bell; where the first finds nothing, one of three times
 * the size does. Reaches 3·half cells.
 */
export function smoothMap(src: Float32Array, W: number, H: number, half: number): Float32Array {
  const a = new Float32Array(W * H);
  const b = new Float32Array(W * H);
  const wide = new Float32Array(W * H);
  boxMean(src, W, H, half, a);
  boxMean(a, W, H, half, b);
  boxMean(src, W, H, 3 * half, wide);
  for (let i = 0; i < b.length; i++) {
    const v = b[i]!;
    if (v !== v) {
      b[i] = wide[i]!;
    }
  }
  return b;
}
