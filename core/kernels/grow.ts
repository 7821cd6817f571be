// Growing of trees: cells of a node stand together as rows, each of the bins of its bands and its class,
// a byte each. `stride`: bytes of a row, a multiple of eight.

/** Counts the cells from `from` to before `to` by class, whose byte stands at `label`. `counts`: i32. */
export function countClasses(
  rows: usize,
  stride: i32,
  label: i32,
  from: i32,
  to: i32,
  counts: usize,
  classes: i32,
): void {
  memory.fill(counts, 0, (<usize>classes) << 2);
  const last = rows + <usize>(to * stride);
  for (let row = rows + <usize>(from * stride); row < last; row += <usize>stride) {
    const at = counts + ((<usize>load<u8>(row + <usize>label)) << 2);
    store<i32>(at, load<i32>(at) + 1);
  }
}

/** Bytes that `bestBin` needs for its own: counts by bin and class, sums by class, bins that are met. */
export function bestBinScratch(classes: i32): i32 {
  return 257 * ((classes + 3) & ~3) * 4 + 256;
}

/**
 * The last bin below the best split of a node by a band, after Gini's impurity: largest is the sum of
 * the squared counts of both sides, each over its cells. −1 where no split leaves `least` cells on either
 * side. `counts`: cells of the node by class, i32. `scratch`: all nought, and left so. `out`: that
 * largest sum, f64, and the first bin above the split that holds a cell, i32.
 */
export function bestBin(
  rows: usize,
  stride: i32,
  label: i32,
  from: i32,
  to: i32,
  band: i32,
  counts: usize,
  classes: i32,
  least: i32,
  scratch: usize,
  out: usize,
): i32 {
  const nought = i32x4.splat(0),
    wide = (<usize>((classes + 3) & ~3)) << 2,
    below = scratch + (wide << 8),
    met = below + wide,
    last = rows + <usize>(to * stride),
    all = to - from;
  for (let row = rows + <usize>(from * stride); row < last; row += <usize>stride) {
    const bin = <usize>load<u8>(row + <usize>band),
      at = scratch + bin * wide + ((<usize>load<u8>(row + <usize>label)) << 2);
    store<i32>(at, load<i32>(at) + 1);
    store<u8>(met + bin, 0x80);
  }
  let squaresAbove: f64 = 0;
  for (let k: usize = 0; k < (<usize>classes) << 2; k += 4) {
    const count = <f64>load<i32>(counts + k);
    squaresAbove += count * count;
  }
  let squaresBelow: f64 = 0,
    best: f64 = 0,
    under = 0,
    bin = -1,
    above = -1;
  for (let word: usize = 0; word < 256; word += 8) {
    let left = load<u64>(met + word);
    store<u64>(met + word, 0);
    for (; left != 0; left &= left - 1) {
      const at = <i32>(word + <usize>(ctz(left) >> 3)),
        place = scratch + <usize>at * wide;
      if (bin >= 0 && above < 0) above = at;
      for (let four: usize = 0; four < wide; four += 16) {
        let classesMet = i32x4.bitmask(i32x4.ne(v128.load(place + four), nought));
        for (; classesMet != 0; classesMet &= classesMet - 1) {
          const k = four + ((<usize>ctz(classesMet)) << 2),
            here = load<i32>(place + k),
            so = load<i32>(below + k),
            rest = load<i32>(counts + k) - so;
          // (b + h)² − b² and (r − h)² − r².
          squaresBelow += <f64>here * <f64>(2 * so + here);
          squaresAbove += <f64>here * <f64>(here - 2 * rest);
          store<i32>(below + k, so + here);
          under += here;
        }
        v128.store(place + four, nought);
      }
      const over = all - under;
      if (over > 0 && under >= least && over >= least) {
        const purity = squaresBelow / <f64>under + squaresAbove / <f64>over;
        if (purity > best) {
          best = purity;
          bin = at;
          above = -1;
        }
      }
    }
  }
  memory.fill(below, 0, wide);
  store<f64>(out, best);
  store<i32>(out, above, 8);
  return bin;
}

/** Brings rows whose bin is not above `bin` before the others; where those begin. */
export function partRows(rows: usize, stride: i32, from: i32, to: i32, band: i32, bin: i32): i32 {
  let left = rows + <usize>(from * stride),
    right = rows + <usize>((to - 1) * stride);
  while (left <= right) {
    if (<i32>load<u8>(left + <usize>band) <= bin) {
      left += <usize>stride;
    } else {
      for (let k: usize = 0; k < <usize>stride; k += 8) {
        const one = load<u64>(left + k);
        store<u64>(left + k, load<u64>(right + k));
        store<u64>(right + k, one);
      }
      right -= <usize>stride;
    }
  }
  return <i32>(left - rows) / stride;
}

/**
 * The leaves in which cells end. `nodes`: by node a u32 of its band, its bin and, in the upper half, its
 * left child; `depth`: steps of the longest way. `leaves`: by row, u16.
 */
export function leavesOf(
  rows: usize,
  stride: i32,
  nodes: usize,
  depth: i32,
  leaves: usize,
  n: i32,
): void {
  memory.fill(leaves, 0, (<usize>n) << 1);
  // Level by level: no step waits for the one before it.
  for (let level = 0; level < depth; level++) {
    let row = rows;
    for (let i: usize = 0; i < (<usize>n) << 1; i += 2, row += <usize>stride) {
      const node = load<u32>(nodes + ((<usize>load<u16>(leaves + i)) << 2)),
        bin = <u32>load<u8>(row + <usize>(node & 255));
      store<u16>(leaves + i, <u16>((node >> 16) + <u32>(bin > ((node >> 8) & 255))));
    }
  }
}
