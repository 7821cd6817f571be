/**
 * Sums of windows around each cell, by columns and then by rows, so that each is taken in one order
 * whatever the block. Cells that are NaN count for nothing.
 * @param src (width + 2h) × (height + 2h) cells, h half the window
 */
function windowSums(
  src: Float32Array,
  { width, height, windowCells }: Size,
  out: Float64Array,
): void {
  const wide = width + windowCells - 1;
  const columns = new Float64Array(wide);
  for (let r = 0; r < height; r++) {
    columns.fill(0);
    for (let y = r; y < r + windowCells; y++) {
      for (let c = 0, i = y * wide; c < wide; c++, i++) {
        const value = src[i]!;
        if (value === value) {
          columns[c]! += value;
        }
      }
    }
    for (let c = 0; c < width; c++) {
      let sum = 0;
      for (let k = c; k < c + windowCells; k++) {
        sum += columns[k]!;
      }
      out[r * width + c] = sum;
    }
  }
}

interface Size {
  width: number;
  height: number;
  windowCells: number;
}

/**
 * The class whose probabilities have the greatest sum in a window around each cell; of equal sums the
 * first.
 * @param probabilities by class, (width + 2h) × (height + 2h) cells, h half the window; NaN: nodata
 * @param out width × height: places of classes
 */
export function weightedMode(
  probabilities: readonly Float32Array[],
  size: Size,
  out: Uint8Array,
): void {
  const n = size.width * size.height;
  const best = new Float64Array(n).fill(-1);
  const sums = new Float64Array(n);
  probabilities.forEach((band, place) => {
    windowSums(band, size, sums);
    for (let i = 0; i < n; i++) {
      if (sums[i]! > best[i]!) {
        best[i] = sums[i]!;
        out[i] = place;
      }
    }
  });
}
