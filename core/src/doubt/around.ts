import { CLASS_NODATA } from "../raster/block";

/** Cells along a side of the square that is gone over; three times over, it weighs almost as a bell. */
const SIDE = 9;
const PASSES = 3;
/** How far the cells around a cell count, in cells. */
export const AROUND_CELLS = (PASSES * (SIDE - 1)) / 2;
/** Standard deviation of the weights, in cells. */
export const AROUND_SPREAD = Math.sqrt((PASSES * (SIDE * SIDE - 1)) / 12);

/** Weights of a row of cells around one, from one end to the other; they sum to one. */
function weightsOf(): number[] {
  let weights = [1];
  for (let pass = 0; pass < PASSES; pass++) {
    const wider = new Array<number>(weights.length + SIDE - 1).fill(0);
    weights.forEach((weight, k) => {
      for (let j = 0; j < SIDE; j++) {
        wider[k + j]! += weight / SIDE;
      }
    });
    weights = wider;
  }
  return weights;
}
const OWN = Math.max(...weightsOf()) ** 2;

/** Means of squares of cells along rows, then along columns; the image gets smaller by SIDE − 1. */
function boxed(src: Float32Array, width: number, height: number): Float32Array {
  const w = width - SIDE + 1;
  const h = height - SIDE + 1;
  const along = new Float32Array(w * height);
  for (let r = 0; r < height; r++) {
    let sum = 0;
    for (let c = 0; c < width; c++) {
      sum += src[r * width + c]!;
      if (c >= SIDE) {
        sum -= src[r * width + c - SIDE]!;
      }
      if (c >= SIDE - 1) {
        along[r * w + c - SIDE + 1] = sum;
      }
    }
  }
  const out = new Float32Array(w * h);
  const sums = new Float64Array(w);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < w; c++) {
      sums[c]! += along[r * w + c]!;
      if (r >= SIDE) {
        sums[c]! -= along[(r - SIDE) * w + c]!;
      }
    }
    if (r >= SIDE - 1) {
      for (let c = 0; c < w; c++) {
        out[(r - SIDE + 1) * w + c] = sums[c]! / (SIDE * SIDE);
      }
    }
  }
  return out;
}

function blurred(src: Float32Array, width: number, height: number): Float32Array {
  let cells = src;
  for (let pass = 0; pass < PASSES; pass++) {
    const less = pass * (SIDE - 1);
    cells = boxed(cells, width - less, height - less);
  }
  return cells;
}

/**
 * Shares of classes among the cells around each cell, which itself is left out.
 * @param labels of a window with `AROUND_CELLS` more on every side, `width` cells across; nodata counts
 * for nothing
 * @param classes labels that are asked for
 * @returns by class, for the window without its margin; NaN where there is nothing around a cell
 */
export function sharesAround(
  labels: Uint8Array,
  width: number,
  classes: readonly number[],
): Float32Array[] {
  const height = labels.length / width;
  const there = new Uint8Array(256);
  for (const label of labels) {
    there[label] = 1;
  }
  const seen = countsAround(labels, width, height, CLASS_NODATA, false);
  return classes.map((one) => {
    const share = there[one]
      ? countsAround(labels, width, height, one, true)
      : new Float32Array(seen.length);
    toShares(share, seen, { labels, width, one });
    return share;
  });
}

/** How many of the cells around each one have a label, or have another one, by their weights. */
function countsAround(
  labels: Uint8Array,
  width: number,
  height: number,
  wanted: number,
  isWanted: boolean,
): Float32Array {
  const cells = new Float32Array(labels.length);
  for (let i = 0; i < cells.length; i++) {
    cells[i] = (labels[i] === wanted) === isWanted ? 1 : 0;
  }
  return blurred(cells, width, height);
}

/** Counts of a class around cells as shares of all that is seen there, but for the cell itself. */
function toShares(
  share: Float32Array,
  seen: Float32Array,
  { labels, width, one }: { labels: Uint8Array; width: number; one: number },
): void {
  const across = width - 2 * AROUND_CELLS;
  for (let i = 0; i < share.length; i++) {
    const at = (Math.floor(i / across) + AROUND_CELLS) * width + (i % across) + AROUND_CELLS;
    const label = labels[at]!;
    const rest = seen[i]! - (label === CLASS_NODATA ? 0 : OWN);
    const own = share[i]! - (label === one ? OWN : 0);
    // What is left of a sum whose parts were taken away again is rounding.
    share[i] = rest > 1e-6 ? Math.max(0, own / rest) : NaN;
  }
}
