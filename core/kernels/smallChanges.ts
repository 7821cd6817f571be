// What is small and changed strongly; see core/src/radar/smallChanges.ts for the method.

/** Cells from a cell to the middle of a window around it, and half the width of that. */
const AWAY: i32 = 10;
const HALF: i32 = 5;
const SIDE: i32 = 2 * HALF + 1;
/** Cells around a cell in which it must come near the strongest one, and how near. */
const PEAK: i32 = 2;
const PEAK_SHARE: f64 = 0.65;
/** Cells within which a small thing ends. */
const REACH: i32 = 8;
const BOX: i32 = 2 * REACH + 1;
const ENTRIES: i32 = BOX * BOX;
/** Cells on the rim of the box that a small thing may have: it is as narrow as three cells there. */
const MOST_ON_RIM: i32 = 3;
/** A window of so many times the variance of the quieter ones lies across an edge: its mean is no level. */
const ACROSS_EDGE: f64 = 6;
/** Strengths under this share of the unit are given as nought. */
const LEAST_SHARE: f64 = 0.5;

/**
 * What a strength loses for each time that the spread exceeds that of independent cells, up to two:
 * where neighbours go together a window knows its own spread less well.
 */
const LOSS: f64 = 0.03;
const MOST_LOST: f64 = 2;

/**
 * Of the variance of independent cells, what the quieter windows have at least: over water, which the
 * floor smooths, less is seen than the bank beside it has.
 */
const LEAST_VARIANCE: f64 = 0.5;

/**
 * Where a few bright cells make a mean of nine, as on a bank, it has fewer looks. So much more uneven
 * than speckle makes them nine cells may be on both dates, and what each time more adds to the
 * variance.
 */
const EVEN_ENOUGH: f64 = 1.3;
const UNEVEN_ADDS: f64 = 2;

/** Cells that a mean of nine and a window must have: more than half. */
const LEAST_OF_NINE: f64 = 5;
const LEAST_OF_WINDOW: f64 = 61;

/** A neper in steps: whole numbers add up to the same sum in any order. */
const STEPS: f64 = 16384;
/** No echo differs by more than e^±20. */
const MOST: f64 = 20 * STEPS;
/** Added to the power of both dates: about the noise of a radar (−25 dB). */
const FLOOR: f64 = 0.003;

/** Cells around a window that its values depend on: SMALL_CHANGES_HALO of the caller. */
const HALO: i32 = 1 + AWAY + HALF + PEAK;

/** Bytes of scratch for wide x high cells, the halo with them. */
export function smallChangesScratch(wide: i32, high: i32): i32 {
  return 40 * wide * high + 48 * wide + 9 * ENTRIES + 64;
}

/**
 * before, after: `bands` images of wide x high powers, one behind the other; NaN is nodata.
 * independent: the variance of ratios, in nepers, where neighbouring cells do not go together.
 * unit: the strength that is given as one. out: signed strengths, (wide − 2 HALO) x (high − 2 HALO).
 */
export function smallChanges(
  before: usize,
  after: usize,
  bands: i32,
  wide: i32,
  high: i32,
  independent: f64,
  unit: f64,
  out: usize,
  scratch: usize,
): void {
  const room = (<usize>(wide * high)) << 3;
  const ratios = scratch,
    strengths = ratios + room,
    means = strengths + room,
    variances = means + room,
    uneven = variances + room,
    rows = uneven + room,
    box = rows + 48 * <usize>wide;
  // Of speckle alone the mean of squares is 1 + 1/looks times the square of the mean.
  const speckled = 1 + 4.5 * independent * <f64>bands;
  countRatios(before, after, bands, wide, high, ratios, uneven, rows);
  backgroundOf(ratios, wide, high, means, variances, rows);
  // Where nothing can differ the rounding of a step is left.
  least = f64x2.splat(max(1, LEAST_VARIANCE * independent * STEPS * STEPS));
  const spread = independent * STEPS * STEPS;
  standOut(ratios, uneven, means, variances, wide, high, spread, speckled, strengths);
  const width = wide - 2 * HALO,
    height = high - 2 * HALO;
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const i = (r + HALO) * wide + c + HALO,
        own = at(strengths, i),
        size = Math.abs(own);
      let value = own;
      if (size == size) {
        const counts =
          size >= LEAST_SHARE * unit &&
          isPeak(strengths, wide, i) &&
          isSmall(ratios, means, variances, wide, i, box);
        value = counts ? own / unit : 0;
      }
      store<f32>(out + ((<usize>(r * width + c)) << 2), <f32>value);
    }
  }
}

// @ts-ignore: decorator
@inline
function at(list: usize, i: i32): f64 {
  return load<f64>(list + ((<usize>i) << 3));
}

// @ts-ignore: decorator
@inline
function put(list: usize, i: i32, value: f64): void {
  store<f64>(list + ((<usize>i) << 3), value);
}

/**
 * Mean over the bands of ln(after/before) of mean powers, in whole steps; NaN: nodata. And how uneven
 * the nine cells are on the evener date: the mean of squares over the square of the mean.
 */
function countRatios(
  before: usize,
  after: usize,
  bands: i32,
  wide: i32,
  high: i32,
  ratios: usize,
  uneven: usize,
  rows: usize,
): void {
  const n = wide * high,
    own = rows + 32 * <usize>wide,
    earlier = own + 8 * <usize>wide,
    scale = STEPS / <f64>bands;
  for (let i = 0; i < n; i++) put(ratios, i, NaN);
  for (let r = 1; r < high - 1; r++) {
    const row = r * wide;
    for (let c = 1; c < wide - 1; c++) put(rows, c, 1);
    for (let c = 0; c < wide; c++) put(uneven, row + c, 0);
    for (let band = 0; band < bands; band++) {
      const from = (<usize>(band * n + row)) << 2;
      multiply(rows, before + from, wide, true);
      memory.copy(earlier, own, 8 * wide);
      multiply(rows, after + from, wide, false);
      for (let c = 1; c < wide - 1; c++) {
        const evener = min(at(earlier, c), at(own, c));
        put(uneven, row + c, at(uneven, row + c) + evener / <f64>bands);
      }
    }
    for (let c = 1; c < wide - 1; c++) {
      const steps = nearest(scale * Math.log(at(rows, c)));
      put(ratios, row + c, max(-MOST, min(MOST, steps)));
    }
  }
}

/** Square of a power with the floor added. */
// @ts-ignore: decorator
@inline
function squareOf(power: f32): f64 {
  const over = FLOOR + max(0, <f64>power);
  return over * over;
}

/**
 * Multiplies the row at rows by the mean powers of the nine cells around each of src, or divides it;
 * by NaN where the cell itself or more than four of the nine are missing. How uneven the nine are goes
 * to the fifth row.
 */
function multiply(rows: usize, src: usize, wide: i32, divides: bool): void {
  const sums = rows + ((<usize>wide) << 3),
    counts = sums + ((<usize>wide) << 3),
    squares = counts + ((<usize>wide) << 3),
    uneven = squares + ((<usize>wide) << 3),
    stride = (<usize>wide) << 2;
  for (let c = 0; c < wide; c++) {
    const p = src + ((<usize>c) << 2),
      above = load<f32>(p - stride),
      own = load<f32>(p),
      below = load<f32>(p + stride);
    let sum: f64 = 0,
      square: f64 = 0,
      count: f64 = 0;
    if (above == above) {
      sum += above;
      square += squareOf(above);
      count += 1;
    }
    if (own == own) {
      sum += own;
      square += squareOf(own);
      count += 1;
    }
    if (below == below) {
      sum += below;
      square += squareOf(below);
      count += 1;
    }
    put(sums, c, sum);
    put(squares, c, square);
    put(counts, c, count);
  }
  for (let c = 1; c < wide - 1; c++) {
    const own = load<f32>(src + ((<usize>c) << 2)),
      count = at(counts, c - 1) + at(counts, c) + at(counts, c + 1);
    let mean: f64 = NaN,
      ratio: f64 = 1;
    if (own == own && count >= LEAST_OF_NINE) {
      const sum = at(sums, c - 1) + at(sums, c) + at(sums, c + 1);
      // Where noise was taken off a mean can fall below nought.
      mean = FLOOR + max(0, sum / count);
      const square = at(squares, c - 1) + at(squares, c) + at(squares, c + 1);
      ratio = square / (count * mean * mean);
    }
    put(uneven, c, ratio);
    put(rows, c, divides ? at(rows, c) / mean : at(rows, c) * mean);
  }
}

/**
 * Mean and variance of the SIDE x SIDE ratios around each cell, of those that are there; NaN and
 * infinity where fewer than half of them are.
 */
function backgroundOf(
  ratios: usize,
  wide: i32,
  high: i32,
  means: usize,
  variances: usize,
  rows: usize,
): void {
  const n = wide * high,
    sums = rows + ((<usize>wide) << 3),
    squares = sums + ((<usize>wide) << 3);
  for (let i = 0; i < n; i++) {
    put(means, i, NaN);
    put(variances, i, Infinity);
  }
  memory.fill(rows, 0, 24 * wide);
  for (let r = 0; r < high; r++) {
    for (let c = 0; c < wide; c++) {
      count(rows, sums, squares, c, at(ratios, r * wide + c), 1);
      if (r >= SIDE) count(rows, sums, squares, c, at(ratios, (r - SIDE) * wide + c), -1);
    }
    if (r < SIDE - 1) continue;
    let there: f64 = 0,
      sum: f64 = 0,
      square: f64 = 0;
    for (let c = 0; c < wide; c++) {
      there += at(rows, c);
      sum += at(sums, c);
      square += at(squares, c);
      if (c >= SIDE) {
        there -= at(rows, c - SIDE);
        sum -= at(sums, c - SIDE);
        square -= at(squares, c - SIDE);
      }
      if (c >= SIDE - 1 && there >= LEAST_OF_WINDOW) {
        const i = (r - HALF) * wide + c - HALF,
          mean = sum / there;
        put(means, i, mean);
        put(variances, i, square / there - mean * mean);
      }
    }
  }
}

/** Adds a ratio to the sums of its column, or takes it off. */
// @ts-ignore: decorator
@inline
function count(counts: usize, sums: usize, squares: usize, c: i32, ratio: f64, sign: f64): void {
  if (ratio == ratio) {
    put(counts, c, at(counts, c) + sign);
    put(sums, c, at(sums, c) + sign * ratio);
    put(squares, c, at(squares, c) + sign * ratio * ratio);
  }
}

// @ts-ignore: decorator
@inline
function pair(list: usize, i: i32): v128 {
  return v128.load(list + ((<usize>i) << 3));
}

// The nearest mean so far of the two cells at hand, and their least three variances.
let base: v128 = f64x2.splat(0);
let first: v128 = f64x2.splat(0);
let second: v128 = f64x2.splat(0);
let third: v128 = f64x2.splat(0);
/** The least variance that windows are taken to have. */
let least: v128 = f64x2.splat(1);

/** Takes in a window mean of two cells. sizes: their ratios times signs; quiet: variances below it. */
// @ts-ignore: decorator
@inline
function approach(mean: v128, variance: v128, quiet: v128, signs: v128, sizes: v128): void {
  const own = f64x2.mul(signs, mean),
    // A mean beyond the cell is none on its way to no change.
    counts = v128.and(f64x2.lt(own, sizes), f64x2.lt(variance, quiet));
  base = v128.bitselect(f64x2.pmax(base, own), base, counts);
}

/**
 * How far the ratios of two neighbours are from the nearest mean of a quiet window on their way to
 * no change, or from no change itself where none lies between; never below nought.
 */
// @ts-ignore: decorator
@inline
function contrasts(
  ratios: v128,
  signs: v128,
  means: usize,
  variances: usize,
  quiet: v128,
  i: i32,
  wide: i32,
): v128 {
  const sizes = f64x2.mul(signs, ratios),
    above = i - AWAY * wide,
    below = i + AWAY * wide;
  base = f64x2.splat(0);
  approach(pair(means, above - AWAY), pair(variances, above - AWAY), quiet, signs, sizes);
  approach(pair(means, above), pair(variances, above), quiet, signs, sizes);
  approach(pair(means, above + AWAY), pair(variances, above + AWAY), quiet, signs, sizes);
  approach(pair(means, i - AWAY), pair(variances, i - AWAY), quiet, signs, sizes);
  approach(pair(means, i + AWAY), pair(variances, i + AWAY), quiet, signs, sizes);
  approach(pair(means, below - AWAY), pair(variances, below - AWAY), quiet, signs, sizes);
  approach(pair(means, below), pair(variances, below), quiet, signs, sizes);
  approach(pair(means, below + AWAY), pair(variances, below + AWAY), quiet, signs, sizes);
  return f64x2.sub(sizes, base);
}

/** Takes in a window variance of two cells. */
// @ts-ignore: decorator
@inline
function rank(variance: v128): void {
  const larger = f64x2.max(first, variance),
    largest = f64x2.max(second, larger);
  first = f64x2.min(first, variance);
  second = f64x2.min(second, larger);
  third = f64x2.min(third, largest);
}

/**
 * Variance of the quieter windows around two neighbours: the mean of the second and third least one;
 * infinity where there are less.
 */
// @ts-ignore: decorator
@inline
function quieter(variances: usize, i: i32, wide: i32): v128 {
  const above = i - AWAY * wide,
    below = i + AWAY * wide;
  first = f64x2.splat(Infinity);
  second = first;
  third = first;
  rank(pair(variances, above - AWAY));
  rank(pair(variances, above));
  rank(pair(variances, above + AWAY));
  rank(pair(variances, i - AWAY));
  rank(pair(variances, i + AWAY));
  rank(pair(variances, below - AWAY));
  rank(pair(variances, below));
  rank(pair(variances, below + AWAY));
  return f64x2.max(least, f64x2.mul(f64x2.splat(0.5), f64x2.add(second, third)));
}

// @ts-ignore: decorator
@inline
function signsOf(ratios: v128): v128 {
  const isDarker = f64x2.lt(ratios, f64x2.splat(0));
  return v128.bitselect(f64x2.splat(-1), f64x2.splat(1), isDarker);
}

/** Contrasts in deviations of the quieter windows, more where the cell is uneven, with their sign. */
function standOut(
  ratios: usize,
  uneven: usize,
  means: usize,
  variances: usize,
  wide: i32,
  high: i32,
  independent: f64,
  speckled: f64,
  strengths: usize,
): void {
  const n = wide * high,
    rim = AWAY + HALF,
    across = f64x2.splat(ACROSS_EDGE),
    share = f64x2.splat(1 / independent),
    steep = f64x2.splat(UNEVEN_ADDS / speckled),
    flat = f64x2.splat(EVEN_ENOUGH * UNEVEN_ADDS - 1),
    one = f64x2.splat(1),
    none = f64x2.splat(0),
    most = f64x2.splat(MOST_LOST),
    loss = f64x2.splat(LOSS);
  for (let i = 0; i < n; i++) put(strengths, i, NaN);
  for (let r = rim; r < high - rim; r++) {
    // The last pair of an odd row reaches a cell too far, which nothing is read of.
    for (let c = rim; c < wide - rim; c += 2) {
      const i = r * wide + c,
        own = pair(ratios, i),
        signs = signsOf(own),
        variance = quieter(variances, i, wide),
        quiet = f64x2.mul(across, variance),
        contrast = contrasts(own, signs, means, variances, quiet, i, wide),
        known = f64x2.lt(variance, f64x2.splat(Infinity)),
        times = f64x2.sub(f64x2.mul(variance, share), one),
        excess = f64x2.min(most, f64x2.max(none, times)),
        left = f64x2.sub(one, f64x2.mul(loss, excess)),
        widened = f64x2.max(one, f64x2.sub(f64x2.mul(steep, pair(uneven, i)), flat)),
        deviation = f64x2.sqrt(f64x2.mul(widened, variance)),
        strength = f64x2.div(f64x2.mul(f64x2.mul(left, signs), contrast), deviation);
      v128.store(strengths + ((<usize>i) << 3), v128.bitselect(strength, f64x2.splat(NaN), known));
    }
  }
}

/** Whether a cell reaches its share of the strongest one of its own sign within two cells. */
function isPeak(strengths: usize, wide: i32, i: i32): bool {
  const own = at(strengths, i),
    sign: f64 = own < 0 ? -1 : 1,
    enough = (sign * own) / PEAK_SHARE;
  for (let r = -PEAK; r <= PEAK; r++)
    for (let c = -PEAK; c <= PEAK; c++)
      if (sign * at(strengths, i + r * wide + c) > enough) return false;
  return true;
}

/**
 * Whether what a cell belongs to ends within REACH cells: the cells that are joined with it and have
 * half of its contrast or more reach the rim of a box around it in MOST_ON_RIM places at most.
 * box: a mark and two whole numbers for each of its cells.
 */
function isSmall(
  ratios: usize,
  means: usize,
  variances: usize,
  wide: i32,
  i: i32,
  box: usize,
): bool {
  const own = pair(ratios, i),
    signs = signsOf(own),
    sign = f64x2.extract_lane(signs, 0),
    quiet = f64x2.mul(f64x2.splat(ACROSS_EDGE), quieter(variances, i, wide)),
    contrast = contrasts(own, signs, means, variances, quiet, i, wide),
    half = sign * at(ratios, i) - 0.5 * f64x2.extract_lane(contrast, 0);
  const queue = (box + ENTRIES + 7) & ~7,
    corner = i - REACH * wide - REACH;
  memory.fill(box, 0, ENTRIES);
  let left = 1,
    onRim = 0;
  store<i32>(queue, REACH * BOX + REACH);
  store<u8>(box + REACH * BOX + REACH, 1);
  while (left > 0) {
    left--;
    const cell = load<i32>(queue + ((<usize>left) << 2)),
      row = cell / BOX,
      col = cell % BOX;
    if (row == 0 || col == 0 || row == BOX - 1 || col == BOX - 1) {
      if (++onRim > MOST_ON_RIM) return false;
      continue;
    }
    for (let side = 0; side < 4; side++) {
      const next = cell + (side == 0 ? -1 : side == 1 ? 1 : side == 2 ? -BOX : BOX);
      if (load<u8>(box + next) == 0) {
        const place = corner + (next / BOX) * wide + (next % BOX);
        if (sign * at(ratios, place) > half) {
          store<u8>(box + next, 1);
          store<i32>(queue + ((<usize>left) << 2), next);
          left++;
        }
      }
    }
  }
  return true;
}
