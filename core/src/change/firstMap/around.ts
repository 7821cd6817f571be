/** Marks, 1, where a cell lies within reach of others, rows and columns apart. */
export function around(
  at: readonly Uint32Array[],
  { width, height }: { width: number; height: number },
  reach: number,
): Uint8Array {
  const inRow = new Uint8Array(width * height);
  for (const cells of at) {
    for (const i of cells) {
      const col = i % width;
      const start = i - col;
      inRow.fill(1, start + Math.max(0, col - reach), start + Math.min(width, col + reach + 1));
    }
  }
  const out = new Uint8Array(width * height);
  for (let c = 0; c < width; c++) {
    let filledTo = 0;
    for (let r = 0; r < height; r++) {
      if (inRow[r * width + c]) {
        const end = Math.min(height, r + reach + 1);
        for (let k = Math.max(r - reach, filledTo); k < end; k++) {
          out[k * width + c] = 1;
        }
        filledTo = end;
      }
    }
  }
  return out;
}
