// Refined Lee over a strip. For each of the last seven rows the scratch holds, for every column c
// and length n = 1 … 7, the sum and
// the sum of squares of cells c … c + n − 1 (a pair of doubles); every half window is seven or four
// such pieces. Every cell's sums
// are taken in the same order, so that a value does not depend on the strip it was computed in.

/**
 * Doubles of scratch for a row of w cells: pieces of seven rows, counts of the same, means of five
 * rows.
 */
export const REFINED_SCRATCH: i32 = 7 * 7 * 2 + 7 * 7 + 5;

// Pieces of the half windows E, NE, N, NW, W, SW, S, SE: first column and length for rows −3 … 3;
// length 0 = no piece.
const FIRST: StaticArray<i32> = [
  0, 0, 0, 0, 0, 0, 0, -3, -2, -1, 0, 1, 2, 3, -3, -3, -3, -3, 0, 0, 0, -3, -3, -3, -3, -3, -3, -3,
  -3, -3, -3, -3, -3, -3, -3, -3, -3, -3, -3, -3, -3, -3, 0, 0, 0, -3, -3, -3, -3, 3, 2, 1, 0, -1,
  -2, -3,
];
const LENGTH: StaticArray<i32> = [
  4, 4, 4, 4, 4, 4, 4, 7, 6, 5, 4, 3, 2, 1, 7, 7, 7, 7, 0, 0, 0, 7, 6, 5, 4, 3, 2, 1, 4, 4, 4, 4, 4,
  4, 4, 1, 2, 3, 4, 5, 6, 7, 0, 0, 0, 7, 7, 7, 7, 1, 2, 3, 4, 5, 6, 7,
];
// In static memory, like all that lasts between calls: everything past heapBase() belongs to the
// caller.
const PLACE: usize = memory.data(56 * 4);

/**
 * src: (width + 6) x (height + 6) cells; out: width x height; scratch: REFINED_SCRATCH x (width + 6
 * + 8) doubles.
 */
export function refinedLeeStrip(
  src: usize,
  width: i32,
  height: i32,
  looks: f64,
  out: usize,
  scratch: usize,
  gaps: bool,
): void {
  const w = width + 6,
    wide = <usize>(w + 8),
    stride = (<usize>w) << 2;
  const planeRow = wide << 4,
    pieces = scratch,
    countRow = wide << 3,
    counts = pieces + 49 * planeRow,
    means = counts + 49 * countRow;
  const cv = 1 / looks,
    norm = 1 / (1 + cv);
  for (let row = 0; row < height + 6; row++) {
    const slot = <usize>(row % 7);
    sumRow(
      src + <usize>row * stride,
      w,
      pieces + slot * 7 * planeRow,
      planeRow,
      counts + slot * 7 * countRow,
      countRow,
      gaps,
    );
    if (row >= 2)
      meanRow(
        row,
        w,
        pieces,
        planeRow,
        counts,
        countRow,
        means + <usize>(row % 5) * countRow,
        gaps,
      );
    if (row < 6) continue;
    const r = row - 6;
    for (let d = 0; d < 8; d++)
      for (let k = 0; k < 7; k++) {
        const n = LENGTH[d * 7 + k];
        // Rows without a piece point at the first row's sums of length zero, which are never read:
        // four-piece windows are read as such.
        store<u32>(
          PLACE + ((<usize>(d * 7 + k)) << 2),
          n == 0
            ? 0
            : <u32>(
                ((<usize>((r + k) % 7) * 7 + <usize>(n - 1)) * wide + <usize>(3 + FIRST[d * 7 + k]))
              ),
        );
      }
    // Means of rows r + 1, r + 3, r + 5 (centres of the upper, middle and lower 3 x 3 windows);
    // mean row y is stored when row y + 1 is read.
    const up = means + <usize>((r + 2) % 5) * countRow,
      mid = means + <usize>((r + 4) % 5) * countRow,
      low = means + <usize>((r + 6) % 5) * countRow;
    const centre = src + <usize>(r + 3) * stride + 12,
      to = out + ((<usize>r * <usize>width) << 2);
    for (let c = 0; c < width; c++) {
      const z = <f64>load<f32>(centre + ((<usize>c) << 2));
      if (z != z) {
        store<f32>(to + ((<usize>c) << 2), f32.NaN);
        continue;
      }
      const o = (<usize>c) << 3;
      let nw = load<f64>(up + o),
        n = load<f64>(up + o + 16),
        ne = load<f64>(up + o + 32),
        wt = load<f64>(mid + o),
        e = load<f64>(mid + o + 32);
      let sw = load<f64>(low + o),
        s = load<f64>(low + o + 16),
        se = load<f64>(low + o + 32);
      const m = load<f64>(mid + o + 16);
      if (gaps) {
        nw = nw == nw ? nw : m;
        n = n == n ? n : m;
        ne = ne == ne ? ne : m;
        e = e == e ? e : m;
        se = se == se ? se : m;
        s = s == s ? s : m;
        sw = sw == sw ? sw : m;
        wt = wt == wt ? wt : m;
      }
      const gE = abs(ne + e + se - nw - wt - sw),
        gNE = abs(n + ne + e - wt - sw - s),
        gN = abs(nw + n + ne - sw - s - se),
        gNW = abs(wt + nw + n - e - se - s);
      let d = 0,
        a = e,
        b = wt,
        g = gE;
      const t1 = gNE > g;
      g = select(gNE, g, t1);
      d = select(1, d, t1);
      a = select(ne, a, t1);
      b = select(sw, b, t1);
      const t2 = gN > g;
      g = select(gN, g, t2);
      d = select(2, d, t2);
      a = select(n, a, t2);
      b = select(s, b, t2);
      const t3 = gNW > g;
      d = select(3, d, t3);
      a = select(nw, a, t3);
      b = select(se, b, t3);
      d += select(4, 0, abs(a - m) > abs(b - m));

      const table = PLACE + ((<usize>(d * 7)) << 2);
      let sum: v128,
        count: f64 = 28;
      if (d == 6) sum = f64x2.splat(0);
      else sum = piece(pieces, table, 0, c);
      if (d == 2) {
        sum = f64x2.add(sum, piece(pieces, table, 1, c));
        sum = f64x2.add(sum, piece(pieces, table, 2, c));
        sum = f64x2.add(sum, piece(pieces, table, 3, c));
      } else if (d == 6) {
        sum = piece(pieces, table, 3, c);
        sum = f64x2.add(sum, piece(pieces, table, 4, c));
        sum = f64x2.add(sum, piece(pieces, table, 5, c));
        sum = f64x2.add(sum, piece(pieces, table, 6, c));
      } else {
        sum = f64x2.add(sum, piece(pieces, table, 1, c));
        sum = f64x2.add(sum, piece(pieces, table, 2, c));
        sum = f64x2.add(sum, piece(pieces, table, 3, c));
        sum = f64x2.add(sum, piece(pieces, table, 4, c));
        sum = f64x2.add(sum, piece(pieces, table, 5, c));
        sum = f64x2.add(sum, piece(pieces, table, 6, c));
      }
      if (gaps) {
        count = 0;
        const from = d == 6 ? 3 : 0,
          end = d == 2 ? 4 : 7;
        for (let k = from; k < end; k++)
          count += load<f64>(
            counts + ((<usize>load<u32>(table + ((<usize>k) << 2)) + <usize>c) << 3),
          );
      }
      const mean = f64x2.extract_lane(sum, 0) / count,
        v = f64x2.extract_lane(sum, 1) / count - mean * mean,
        signal = (v - mean * mean * cv) * norm;
      store<f32>(
        to + ((<usize>c) << 2),
        <f32>(signal > 0 ? mean + (signal / v) * (z - mean) : mean),
      );
    }
  }
}

// @ts-ignore: decorator
@inline
function piece(pieces: usize, table: usize, k: usize, c: i32): v128 {
  return v128.load(pieces + ((<usize>load<u32>(table + (k << 2)) + <usize>c) << 4));
}

/**
 * Pieces of one row: for length n at plane n − 1, {sum, sum of squares} from each column on. Cells
 * past the row count as nothing.
 */
function sumRow(
  row: usize,
  w: i32,
  pieces: usize,
  planeRow: usize,
  counts: usize,
  countRow: usize,
  gaps: bool,
): void {
  for (let c = 0; c < w; c++) {
    const at = pieces + ((<usize>c) << 4),
      from = row + ((<usize>c) << 2);
    let p = pair(from, gaps);
    v128.store(at, p);
    if (c + 7 <= w) {
      p = f64x2.add(p, pair(from + 4, gaps));
      v128.store(at + planeRow, p);
      p = f64x2.add(p, pair(from + 8, gaps));
      v128.store(at + 2 * planeRow, p);
      p = f64x2.add(p, pair(from + 12, gaps));
      v128.store(at + 3 * planeRow, p);
      p = f64x2.add(p, pair(from + 16, gaps));
      v128.store(at + 4 * planeRow, p);
      p = f64x2.add(p, pair(from + 20, gaps));
      v128.store(at + 5 * planeRow, p);
      p = f64x2.add(p, pair(from + 24, gaps));
      v128.store(at + 6 * planeRow, p);
    } else
      for (let n = 1; n < w - c; n++) {
        p = f64x2.add(p, pair(from + ((<usize>n) << 2), gaps));
        v128.store(at + <usize>n * planeRow, p);
      }
    if (gaps) {
      let count: f64 = 0;
      const most = min(7, w - c),
        to = counts + ((<usize>c) << 3);
      for (let n = 0; n < most; n++) {
        const v = load<f32>(from + ((<usize>n) << 2));
        count += v == v ? 1 : 0;
        store<f64>(to + <usize>n * countRow, count);
      }
    }
  }
}

/** {value, square} of a cell; nothing where it is NaN. */
// @ts-ignore: decorator
@inline
function pair(at: usize, gaps: bool): v128 {
  let v = f64x2.promote_low_f32x4(v128.load32_splat(at));
  if (gaps) v = v128.and(v, f64x2.eq(v, v));
  return f64x2.mul(v, v128.bitselect(v, f64x2.splat(1), i64x2.replace_lane(i64x2.splat(0), 1, -1)));
}

/**
 * Means of the 3 x 3 windows whose lowest row is `row`; entry c is the window of columns c … c + 2.
 * NaN where no cell is seen.
 */
function meanRow(
  row: i32,
  w: i32,
  pieces: usize,
  planeRow: usize,
  counts: usize,
  countRow: usize,
  out: usize,
  gaps: bool,
): void {
  const a = <usize>((row - 2) % 7) * 7 + 2,
    b = <usize>((row - 1) % 7) * 7 + 2,
    c = <usize>(row % 7) * 7 + 2;
  for (let k = 0; k + 3 <= w; k++) {
    const o = (<usize>k) << 4,
      oc = (<usize>k) << 3;
    const s =
      load<f64>(pieces + a * planeRow + o) +
      load<f64>(pieces + b * planeRow + o) +
      load<f64>(pieces + c * planeRow + o);
    const n = gaps
      ? load<f64>(counts + a * countRow + oc) +
        load<f64>(counts + b * countRow + oc) +
        load<f64>(counts + c * countRow + oc)
      : 9;
    store<f64>(out + oc, s / n);
  }
}
