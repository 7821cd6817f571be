const { atan2, PI, sqrt } = Math;

/**
 * Length of the change vector over several bands, √Σ(after − before)², in the unit of the bands. A
 * cell that is nodata in any band of either date is
 * nodata. Source: Malila 1980.
 * @param before, after by band, the same bands in the same order
 */
export function changeVector(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  out: Float32Array,
): void {
  const n = out.length;
  const sum = new Float64Array(n);
  for (let k = 0; k < before.length; k++) {
    const b = before[k]!;
    const a = after[k]!;
    for (let i = 0; i < n; i++) {
      const difference = a[i]! - b[i]!;
      sum[i]! += difference * difference;
    }
  }
  for (let i = 0; i < n; i++) {
    out[i] = sqrt(sum[i]!);
  }
}

/**
 * Direction of the change in the plane of two bands, in degrees from 0 to 360: 0 where only the
 * first grew, 90 where only the second did, 180 where only
 * the first fell. Nodata where a date is, and where nothing changed at all. Source: Malila 1980.
 */
export function changeDirection(
  before: readonly [Float32Array, Float32Array],
  after: readonly [Float32Array, Float32Array],
  out: Float32Array,
): void {
  const [b0, b1] = before;
  const [a0, a1] = after;
  for (let i = 0, n = out.length; i < n; i++) {
    const x = a0[i]! - b0[i]!;
    const y = a1[i]! - b1[i]!;
    const degrees = (atan2(y, x) * 180) / PI;
    const turned = degrees < 0 ? degrees + 360 : degrees;
    out[i] = x === 0 && y === 0 ? NaN : turned;
  }
}

/**
 * 1 where every date that shows a cell lies on the dark (`<`) or bright (`>`) side of a value, 0
 * where one does not, NaN where none shows it.
 */
export function alwaysBeyond(
  dates: readonly Float32Array[],
  op: "<" | ">",
  value: number,
  out: Float32Array,
): void {
  out.fill(NaN);
  const sign = op === "<" ? 1 : -1;
  const at = sign * value;
  for (const date of dates) {
    for (let i = 0, n = out.length; i < n; i++) {
      const delta = date[i]! * sign;
      if (delta === delta) {
        if (!(delta < at)) {
          out[i] = 0;
        } else if (out[i] !== 0) {
          out[i] = 1;
        }
      }
    }
  }
}
