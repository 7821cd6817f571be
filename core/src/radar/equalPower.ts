import { logGamma } from "../change/chiSquare";

/**
 * How seldom unchanged cells have a statistic as large, on even steps from nought: −log₁₀ of their
 * share, of the likelihood ratio of equal backscatter under speckle.
 */
export interface EqualTail {
  step: number;
  rare: Float64Array;
}

/** Steps of the statistic, and its largest value: hardly one cell of a continent lies beyond. */
const STEP = 0.05;
const MOST = 160;
const COUNT = Math.round(MOST / STEP) + 1;
/** Steps in which the distribution of one channel is summed. */
const FINE = 40_000;

/**
 * Tail of one channel. The ratio of two gamma deviates of the same looks and mean has a known
 * distribution; its logarithm r has the density (2·cosh(r/2))^(−2L)/B(L, L), and the statistic is
 * 4L·ln cosh(r/2). Summed from the far end, so that small shares keep their digits.
 */
function tailOfOne(looks: number): Float64Array {
  const farthest = 2 * Math.acosh(Math.exp(Math.min(700, MOST / (4 * looks))));
  const logBeta = 2 * logGamma(looks) - logGamma(2 * looks);
  const density = (ratio: number) =>
    Math.exp(-2 * looks * Math.log(2 * Math.cosh(ratio / 2)) - logBeta);
  const width = farthest / FINE;
  // Beyond the end the density falls like exp(−L·r).
  const beyond = new Float64Array(FINE + 1);
  beyond[FINE] = density(farthest) / looks;
  for (let k = FINE - 1; k >= 0; k--) {
    beyond[k] = beyond[k + 1]! + (width * (density(k * width) + density((k + 1) * width))) / 2;
  }
  return Float64Array.from({ length: COUNT }, (_, n) => {
    const place = (2 * Math.acosh(Math.exp((n * STEP) / (4 * looks)))) / width;
    const low = Math.min(FINE - 1, Math.floor(place));
    const part = place - low;
    // Between steps the logarithm is straight.
    return 2 * beyond[low]! ** (1 - part) * beyond[low + 1]! ** part;
  });
}

/** Tail of the sum of two statistics that do not depend on each other. */
function tailOfSum(first: Float64Array, second: Float64Array): Float64Array {
  return Float64Array.from({ length: COUNT }, (_, n) => {
    let sum = first[n]!;
    for (let k = 0; k < n; k++) {
      // What lies within a step counts half at either of its ends.
      const mass = first[k]! - first[k + 1]!;
      sum += (mass * (second[n - k]! + second[n - k - 1]!)) / 2;
    }
    return sum;
  });
}

const kept = new Map<string, EqualTail>();
const MOST_KEPT = 32;

/**
 * The tail for so many looks, at least a half, and channels; worked out once.
 * @param channels polarisations whose speckle does not depend on each other
 */
export function equalTail(looks: number, channels: number): EqualTail {
  const key = `${looks} ${channels}`;
  const known = kept.get(key);
  if (known) {
    return known;
  }
  const one = tailOfOne(looks);
  let above = one;
  for (let k = 1; k < channels; k++) {
    above = tailOfSum(above, one);
  }
  const made = { step: STEP, rare: above.map((share) => Math.max(0, -Math.log10(share))) };
  if (kept.size >= MOST_KEPT) {
    kept.clear();
  }
  kept.set(key, made);
  return made;
}

/**
 * −log₁₀ of the share of unchanged cells whose statistic is as large or larger; that of the table's
 * end for anything beyond it, NaN for NaN.
 */
export function rarity({ step, rare }: EqualTail, statistic: number): number {
  const place = statistic / step;
  if (place >= rare.length - 1) {
    return rare[rare.length - 1]!;
  }
  if (!(place >= 0)) {
    return NaN;
  }
  const low = Math.floor(place);
  // Near nought the share of one channel falls by the root, far out its logarithm by the statistic:
  // along the root it is close to straight in both.
  const root = Math.sqrt(low);
  const part = (Math.sqrt(place) - root) / (Math.sqrt(low + 1) - root);
  return rare[low]! + (rare[low + 1]! - rare[low]!) * part;
}

/**
 * How seldom a cell that did not change differs as much as this one does, −log₁₀ of the share of
 * such cells: test of equal backscatter under speckle, the likelihood ratio of gamma-distributed
 * intensities, of all polarisations together. For one look vector this is the test of Conradsen et
 * al. 2003 for diagonal covariance matrices; its distribution is worked out here without
 * approximation.
 * @param before, after power by polarisation, not filtered; nodata, zero and negative are nodata
 */
export function equalBackscatter(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  looks: number,
  out: Float32Array,
): void {
  const tail = equalTail(looks, before.length);
  for (let i = 0; i < out.length; i++) {
    let sum = 0;
    for (let k = 0; k < before.length; k++) {
      const x = before[k]![i]!;
      const y = after[k]![i]!;
      sum += x > 0 && y > 0 ? Math.log(((x + y) * (x + y)) / (4 * x * y)) : NaN;
    }
    // Equal powers may round to a hair below nought.
    out[i] = sum === sum ? rarity(tail, Math.max(0, 2 * looks * sum)) : NaN;
  }
}
