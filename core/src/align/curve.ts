/**
 * A rising curve from the values of a date to those of its reference, by its corners: [value of the
 * date, value of the reference], in the order of the first.
 */
export type Curve = readonly (readonly [number, number])[];

/** Corners of a matched histogram. */
const CORNERS = 129;

/**
 * Corners that match the histogram of one set of values to that of another: the same shares of both
 * lie below the two numbers of a corner. Ends are the smallest and the largest. Values that come
 * often make no second corner. @param x, y sorted upwards, at least one each
 */
export function matchedCurve(x: Float64Array, y: Float64Array): [number, number][] {
  const at = (sorted: Float64Array, share: number): number => {
    const place = share * (sorted.length - 1);
    const low = Math.floor(place);
    const high = Math.min(sorted.length - 1, low + 1);
    return sorted[low]! + (sorted[high]! - sorted[low]!) * (place - low);
  };
  const curve: [number, number][] = [];
  for (let k = 0; k < CORNERS; k++) {
    const share = k / (CORNERS - 1);
    const corner: [number, number] = [at(x, share), at(y, share)];
    const last = curve.at(-1);
    if (last && !(corner[0] > last[0])) {
      last[1] = corner[1];
    } else {
      curve.push(corner);
    }
  }
  return curve;
}

/**
 * The reference's value for one of the date: straight between corners, and beyond the ends as far
 * off as the end is. NaN stays.
 */
export function onCurve(curve: Curve, value: number): number {
  const first = curve[0]!;
  const last = curve[curve.length - 1]!;
  if (!(value > first[0])) {
    return value + first[1] - first[0];
  }
  if (value >= last[0]) {
    return value + last[1] - last[0];
  }
  let low = 0;
  let high = curve.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (curve[middle]![0] <= value) {
      low = middle;
    } else {
      high = middle;
    }
  }
  const [x0, y0] = curve[low]!;
  const [x1, y1] = curve[high]!;
  return y0 + ((y1 - y0) * (value - x0)) / (x1 - x0);
}
