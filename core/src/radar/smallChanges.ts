import { unchangedStrength } from "./falseAlarms";

/** Half width of the mean that a cell is judged by, in cells. */
const MEAN = 1;
/** Distance of a background window's middle from the cell, and its half width, in cells. */
const AWAY = 12;
const HALF = 7;
/** A cell stays where it reaches this share of the strongest one within two cells. */
const PEAK = 2;
const PEAK_SHARE = 0.65;
/** Cells around a window that its values depend on. */
export const SMALL_CHANGES_HALO = MEAN + AWAY + HALF + PEAK;

/**
 * Steps of a neper in which ratios are counted. Whole numbers add up to the same sum in any order:
 * so a window gives what the whole image gives, to the bit.
 */
const STEPS = 16_384;
/** Ratios beyond e^±20 are taken for that: no echo differs by more. */
const MOST = 20 * STEPS;
/**
 * Power that is added to both dates, about the noise of a radar (−25 dB): below it a ratio tells of
 * noise alone, and where noise was taken off it would be wild.
 */
const FLOOR = 0.003;
const LEAST_OF_NINE = 5;
const LEAST_OF_WINDOW = (2 * HALF + 1) ** 2 / 2;

/**
 * Mean power of the 3 x 3 cells around each, of those that are there; NaN where the cell itself or
 * more than four of the nine are missing, and on the rim.
 */
function meanPower(cells: Float32Array, width: number, height: number, out: Float64Array): void {
  // Three across, then three of those down: the same order for every cell of every window.
  const across = new Float64Array(cells.length);
  const counts = new Uint8Array(cells.length);
  for (let i = 1; i < cells.length - 1; i++) {
    const left = cells[i - 1]!;
    const own = cells[i]!;
    const right = cells[i + 1]!;
    let n = 0;
    let sum = 0;
    if (left === left) {
      sum += left;
      n++;
    }
    if (own === own) {
      sum += own;
      n++;
    }
    if (right === right) {
      sum += right;
      n++;
    }
    across[i] = sum;
    counts[i] = n;
  }
  out.fill(NaN);
  for (let r = 1; r < height - 1; r++) {
    for (let c = 1; c < width - 1; c++) {
      const i = r * width + c;
      const n = counts[i - width]! + counts[i]! + counts[i + width]!;
      if (n >= LEAST_OF_NINE && cells[i] === cells[i]) {
        // Where noise was taken off a mean can fall below nought.
        const mean = (across[i - width]! + across[i]! + across[i + width]!) / n;
        out[i] = FLOOR + Math.max(0, mean);
      }
    }
  }
}

/** Mean over the polarisations of ln(after/before) of mean powers, in whole steps; NaN: nodata. */
function logRatios(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  width: number,
  height: number,
): Float64Array {
  const ratios = new Float64Array(width * height).fill(1);
  const first = new Float64Array(width * height);
  const second = new Float64Array(width * height);
  before.forEach((cells, band) => {
    meanPower(cells, width, height, first);
    meanPower(after[band]!, width, height, second);
    for (let i = 0; i < ratios.length; i++) {
      ratios[i]! *= second[i]! / first[i]!;
    }
  });
  const scale = STEPS / before.length;
  for (let i = 0; i < ratios.length; i++) {
    const steps = Math.round(scale * Math.log(ratios[i]!));
    ratios[i] = Math.max(-MOST, Math.min(MOST, steps));
  }
  return ratios;
}

/**
 * Sums over the (2·HALF + 1)² cells around each; 0 where they reach past the rim.
 * @param values whole numbers, so that running sums stay exact
 */
function windowSums(values: Float64Array, width: number, height: number): Float64Array {
  const across = new Float64Array(values.length);
  const side = 2 * HALF + 1;
  for (let r = 0; r < height; r++) {
    let sum = 0;
    for (let c = 0; c < width; c++) {
      const i = r * width + c;
      sum += values[i]! - (c >= side ? values[i - side]! : 0);
      if (c >= side - 1) {
        across[i - HALF] = sum;
      }
    }
  }
  const out = new Float64Array(values.length);
  const running = new Float64Array(width);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const i = r * width + c;
      running[c]! += across[i]! - (r >= side ? across[i - side * width]! : 0);
      if (r >= side - 1) {
        out[i - HALF * width] = running[c]!;
      }
    }
  }
  return out;
}

/** What the background of every cell's neighbourhood is. */
interface Background {
  count: Float64Array;
  sum: Float64Array;
  squares: Float64Array;
}

function backgroundOf(ratios: Float64Array, width: number, height: number): Background {
  const there = new Float64Array(ratios.length);
  const known = new Float64Array(ratios.length);
  const squared = new Float64Array(ratios.length);
  for (let i = 0; i < ratios.length; i++) {
    const ratio = ratios[i]!;
    if (ratio === ratio) {
      there[i] = 1;
      known[i] = ratio;
      squared[i] = ratio * ratio;
    }
  }
  return {
    count: windowSums(there, width, height),
    sum: windowSums(known, width, height),
    squares: windowSums(squared, width, height),
  };
}

/** Middle of two to four numbers, the mean of the two in the middle where they are even. */
const middleOf = (sum: number, least: number, most: number, n: number): number =>
  n === 2 ? sum / 2 : (sum - least - most) / (n - 2);

/**
 * How far each cell stands out from its background, in standard deviations of that: above the
 * highest of the window means and of no change, below the lowest of these (negative), 0 between.
 */
function standingOut(
  ratios: Float64Array,
  { count, sum, squares }: Background,
  width: number,
  height: number,
): Float64Array {
  const out = new Float64Array(ratios.length).fill(NaN);
  const away = [-AWAY, AWAY, -AWAY * width, AWAY * width];
  const rim = AWAY + HALF;
  for (let r = rim; r < height - rim; r++) {
    for (let c = rim; c < width - rim; c++) {
      const i = r * width + c;
      const ratio = ratios[i]!;
      if (ratio !== ratio) {
        continue;
      }
      let windows = 0;
      let variances = 0;
      let least = Infinity;
      let most = 0;
      let lowest = Infinity;
      let highest = -Infinity;
      for (let k = 0; k < 4; k++) {
        const at = i + away[k]!;
        const n = count[at]!;
        if (n >= LEAST_OF_WINDOW) {
          const mean = sum[at]! / n;
          lowest = Math.min(lowest, mean);
          highest = Math.max(highest, mean);
          const variance = squares[at]! / n - mean * mean;
          variances += variance;
          least = Math.min(least, variance);
          most = Math.max(most, variance);
          windows++;
        }
      }
      if (windows >= 2) {
        // Where nothing differs at all the rounding of a step is left.
        const spread = Math.sqrt(Math.max(1, middleOf(variances, least, most, windows)));
        // What came is brighter than it was, not only than ground that became darker.
        const up = Math.max(0, ratio - Math.max(0, highest));
        const down = Math.min(0, ratio - Math.min(0, lowest));
        out[i] = (up + down) / spread;
      }
    }
  }
  return out;
}

/** Whether a cell reaches its share of the strongest one of its own sign within two cells. */
function isPeak(strength: Float64Array, width: number, i: number): boolean {
  const own = strength[i]!;
  const sign = Math.sign(own);
  const enough = (sign * own) / PEAK_SHARE;
  for (let r = -PEAK; r <= PEAK; r++) {
    for (let c = -PEAK; c <= PEAK; c++) {
      if (sign * strength[i + r * width + c]! > enough) {
        return false;
      }
    }
  }
  return true;
}

/**
 * What is small and changed strongly between two dates: a detector of constant false-alarm rate on
 * the logarithm of the ratio of mean powers (3 x 3 cells, all polarisations together). Each cell is
 * held against four windows of 15 x 15 cells around it, the nearest cells of which are five away (the
 * guard): a brighter one against the highest of their means and of no change at all, a darker one
 * against the lowest, so that neither the edge of a large change counts nor what stayed as it was in
 * the midst of one; the median of their spreads is the unit. Of a thing that is found the cells count
 * that reach two thirds of its strongest one.
 *
 * Source: greatest-of windows, Hansen & Sawyers 1980; their use on log ratios is our own.
 *
 * @param before, after power by polarisation, not filtered, with a halo of SMALL_CHANGES_HALO cells;
 * NaN is nodata
 * @param width, height of the cells without the halo
 * @param perCell false alarms a cell that are asked for
 * @param looks of a cell
 * @param out signed strength: ±1 is what unchanged ground reaches at the rate that is asked for,
 * positive is brighter after; NaN where the cell is nodata or has less than two windows that are
 * half filled
 */
export function smallChanges(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  width: number,
  height: number,
  { perCell, looks }: { perCell: number; looks: number },
  out: Float32Array,
): void {
  const halo = SMALL_CHANGES_HALO;
  const wide = width + 2 * halo;
  const high = height + 2 * halo;
  const ratios = logRatios(before, after, wide, high);
  const strength = standingOut(ratios, backgroundOf(ratios, wide, high), wide, high);
  const unit = unchangedStrength(perCell, looks * before.length);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const i = (r + halo) * wide + c + halo;
      const own = strength[i]!;
      out[r * width + c] = own === 0 || own !== own || isPeak(strength, wide, i) ? own / unit : 0;
    }
  }
}
