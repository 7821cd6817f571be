/** Bins of log10(looks) from 0.1 to 10 000 looks. */
export const LOOKS_BINS = 200;
const LOW = -1;
const HIGH = 4;
const SIDE = 9;

/**
 * Adds the local looks (mean²/variance) of every 9 x 9 window, side by side, to a histogram of
 * log10(looks). Texture lowers the
 * local figure, so its distribution has its peak where the ground is even.
 * @param power width x height cells; windows with a nodata cell or no positive mean are passed over
 */
export function addLocalLooks(
  power: Float32Array,
  width: number,
  height: number,
  counts: number[],
): void {
  const n = SIDE * SIDE;
  for (let r = 0; r + SIDE <= height; r += SIDE) {
    for (let c = 0; c + SIDE <= width; c += SIDE) {
      let s = 0;
      let squares = 0;
      for (let j = 0; j < SIDE; j++) {
        for (let k = (r + j) * width + c, e = k + SIDE; k < e; k++) {
          const value = power[k]!;
          s += value;
          squares += value * value;
        }
      }
      const mean = s / n;
      const variance = (squares - s * mean) / (n - 1);
      if (!(mean > 0) || !(variance > 0)) {
        continue;
      }
      const x = Math.log10((mean * mean) / variance);
      const bin = Math.floor(((x - LOW) / (HIGH - LOW)) * LOOKS_BINS);
      if (bin >= 0 && bin < LOOKS_BINS) {
        counts[bin]!++;
      }
    }
  }
}

/**
 * Looks at the peak of such a histogram, after smoothing over seven bins; NaN when there is
 * nothing. To about a tenth of its value.
 */
export function looksAtPeak(counts: readonly number[]): number {
  let best = -1;
  let at = -1;
  for (let i = 3; i < LOOKS_BINS - 3; i++) {
    let s = 0;
    for (let k = -3; k <= 3; k++) {
      s += counts[i + k]! * (4 - Math.abs(k));
    }
    if (s > best) {
      best = s;
      at = i;
    }
  }
  return best > 0 ? 10 ** (LOW + ((at + 0.5) / LOOKS_BINS) * (HIGH - LOW)) : NaN;
}
