/**
 * Sums over an odd square window, for the middle `width x height` cells of an array that has a halo of half a window.
 * Added in the same order for every cell (columns first, then across), never as running sums, so that a cell's value does not
 * depend on the block it was computed in. NaN counts as nothing.
 *
 * @param src (width + 2h) x (height + 2h) cells, h = (size − 1)/2
 * @param sum,squares,count width x height; count may be null when the caller knows that nothing is NaN
 */
export function boxSums(src: Float32Array, width: number, height: number, size: number, sum: Float64Array, squares: Float64Array | null, count: Float64Array | null): void {
  const h = (size - 1) >> 1, w = width + 2 * h;
  const colSum = new Float64Array(w), colSquares = new Float64Array(w), colCount = new Float64Array(w);
  for (let r = 0; r < height; r++) {
    colSum.fill(0); colSquares.fill(0); colCount.fill(0);
    for (let k = 0; k < size; k++) {
      const o = (r + k) * w;
      if (count) {
        for (let c = 0; c < w; c++) { const v = src[o + c]!; if (v === v) { colSum[c]! += v; colSquares[c]! += v * v; colCount[c]! += 1; } }
      } else if (squares) {
        for (let c = 0; c < w; c++) { const v = src[o + c]!; colSum[c]! += v; colSquares[c]! += v * v; }
      } else {
        for (let c = 0; c < w; c++) colSum[c]! += src[o + c]!;
      }
    }
    const o = r * width;
    for (let c = 0; c < width; c++) {
      let s = 0;
      for (let k = 0; k < size; k++) s += colSum[c + k]!;
      sum[o + c] = s;
    }
    if (squares) for (let c = 0; c < width; c++) {
      let q = 0;
      for (let k = 0; k < size; k++) q += colSquares[c + k]!;
      squares[o + c] = q;
    }
    if (count) for (let c = 0; c < width; c++) {
      let n = 0;
      for (let k = 0; k < size; k++) n += colCount[c + k]!;
      count[o + c] = n;
    }
  }
}

export function hasNaN(a: Float32Array): boolean {
  for (let i = 0, n = a.length; i < n; i++) { const v = a[i]!; if (v !== v) return true; }
  return false;
}
