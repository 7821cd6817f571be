// Medians over square windows; see core/src/radar/speckle.ts.

// @ts-ignore: decorator
@inline
const RADIX: i32 = 2048;
/** Rank of a cell without a value: above all others. */
// @ts-ignore: decorator
@inline
const NONE: i16 = 32767;

/** Bytes of scratch that medianTile needs for a tile of n cells with its halo. */
export function medianScratch(n: i32): i32 {
  return n * 22 + RADIX * 4 + 160;
}

/**
 * Median over size x size cells around each, of those that are there; of an even count the lower
 * middle. A centre without a value stays without. The tile is sorted once, so that every cell has a
 * rank of its own of sixteen bits; the rank of each median is then found bit by bit, by counting how
 * many of its window lie below, for sixteen cells at a time.
 * src: (width + size − 1) x (rows + size − 1) cells, at most 65 535
 */
export function medianTile(
  src: usize,
  width: i32,
  rows: i32,
  size: i32,
  out: usize,
  scratch: usize,
): void {
  const wide = width + size - 1,
    half = size >> 1,
    n = wide * (rows + size - 1);
  const sorted = scratch,
    ranks = scratch + ((<usize>n) << 2),
    room = (ranks + ((<usize>n) << 1) + 71) & ~7;
  const isWhole = rankCells(src, n, ranks, sorted, room) == n;
  for (let r = 0; r < rows; r++) {
    const first = ranks + ((<usize>(r * wide)) << 1),
      own = first + ((<usize>(half * wide + half)) << 1),
      to = out + ((<usize>(r * width)) << 2);
    for (let c = 0; c < width; c += 16) {
      rankMedians(first + ((<usize>c) << 1), wide, size, isWhole, room);
      for (let k = 0, left = min(16, width - c); k < left; k++) {
        const rank = <i32>load<i16>(room + ((<usize>k) << 1)) + 32768,
          isMissing = load<i16>(own + ((<usize>(c + k)) << 1)) == NONE;
        store<f32>(
          to + ((<usize>(c + k)) << 2),
          isMissing ? f32.NaN : load<f32>(sorted + ((<usize>rank) << 2)),
        );
      }
    }
  }
}

/** How many in the windows of sixteen neighbours lie below a rank of each. */
let low: v128 = v128.splat<i32>(0);
let high: v128 = v128.splat<i32>(0);

/** Ranks of the medians of the windows of sixteen neighbours. */
function rankMedians(at: usize, wide: i32, size: i32, isWhole: bool, to: usize): void {
  const half = i16x8.splat(<i16>((size * size - 1) >> 1)),
    one = i16x8.splat(1);
  let wantedLow = half,
    wantedHigh = half;
  if (!isWhole) {
    countBelow(at, wide, size, i16x8.splat(NONE), i16x8.splat(NONE));
    wantedLow = i16x8.shr_s(i16x8.sub(low, one), 1);
    wantedHigh = i16x8.shr_s(i16x8.sub(high, one), 1);
  }
  let foundLow = i16x8.splat(-32768),
    foundHigh = foundLow;
  for (let bit = 15; bit >= 0; bit--) {
    const step = i16x8.splat(<i16>((<i32>1) << bit)),
      nextLow = i16x8.add(foundLow, step),
      nextHigh = i16x8.add(foundHigh, step);
    countBelow(at, wide, size, nextLow, nextHigh);
    // As many below as are wanted, or less: the median does not lie below.
    foundLow = v128.bitselect(foundLow, nextLow, i16x8.gt_s(low, wantedLow));
    foundHigh = v128.bitselect(foundHigh, nextHigh, i16x8.gt_s(high, wantedHigh));
  }
  v128.store(to, foundLow);
  v128.store(to + 16, foundHigh);
}

// @ts-ignore: decorator
@inline
function countBelow(at: usize, wide: i32, size: i32, rankLow: v128, rankHigh: v128): void {
  let countLow = i16x8.splat(0),
    countHigh = countLow;
  const across = (<usize>size) << 1,
    down = (<usize>wide) << 1,
    end = at + <usize>size * down;
  for (let row = at; row < end; row += down) {
    for (let p = row, last = row + across; p < last; p += 2) {
      countLow = i16x8.sub(countLow, i16x8.lt_s(v128.load(p), rankLow));
      countHigh = i16x8.sub(countHigh, i16x8.lt_s(v128.load(p, 16), rankHigh));
    }
  }
  low = countLow;
  high = countHigh;
}

/**
 * A rank for each of n cells by three passes of a radix sort, less 32 768, NONE for those without a
 * value; and the values by rank. room: 16 bytes a cell and the counts. Gives how many have a value.
 */
function rankCells(src: usize, n: i32, ranks: usize, sorted: usize, room: usize): i32 {
  let keys = room,
    places = room + ((<usize>n) << 2),
    otherKeys = room + ((<usize>n) << 3),
    otherPlaces = otherKeys + ((<usize>n) << 2);
  const counts = room + ((<usize>n) << 4);
  let m = 0;
  for (let i = 0; i < n; i++) {
    const x = load<f32>(src + ((<usize>i) << 2));
    if (x == x) {
      // Floats in the order of whole numbers.
      const raw = reinterpret<u32>(x);
      store<u32>(keys + ((<usize>m) << 2), raw >> 31 ? ~raw : raw | 0x80000000);
      store<u32>(places + ((<usize>m) << 2), i);
      m++;
    } else store<i16>(ranks + ((<usize>i) << 1), NONE);
  }
  for (let shift = 0; shift < 33; shift += 11) {
    memory.fill(counts, 0, RADIX * 4);
    for (let i = 0; i < m; i++) {
      const p = counts + (((<usize>(load<u32>(keys + ((<usize>i) << 2)) >> shift)) & 2047) << 2);
      store<u32>(p, load<u32>(p) + 1);
    }
    let sum: u32 = 0;
    for (let k = 0; k < RADIX; k++) {
      const p = counts + ((<usize>k) << 2),
        count = load<u32>(p);
      store<u32>(p, sum);
      sum += count;
    }
    for (let i = 0; i < m; i++) {
      const key = load<u32>(keys + ((<usize>i) << 2)),
        p = counts + (((<usize>(key >> shift)) & 2047) << 2),
        at = (<usize>load<u32>(p)) << 2;
      store<u32>(p, load<u32>(p) + 1);
      store<u32>(otherKeys + at, key);
      store<u32>(otherPlaces + at, load<u32>(places + ((<usize>i) << 2)));
    }
    const k = keys,
      p = places;
    keys = otherKeys;
    places = otherPlaces;
    otherKeys = k;
    otherPlaces = p;
  }
  for (let i = 0; i < m; i++) {
    const place = <usize>load<u32>(places + ((<usize>i) << 2));
    store<i16>(ranks + (place << 1), <i16>(i - 32768));
    store<f32>(sorted + ((<usize>i) << 2), load<f32>(src + (place << 2)));
  }
  return m;
}
