// Layover and shadow along range lines; see core/src/radar/hidden.ts for the method.

/**
 * slant, look: width x height doubles, metres; NaN where there is no ground. out: a byte a cell,
 * cleared by the caller; bit 1 layover, bit 2 shadow. `byColumn`: lines follow the
 * columns, else the rows; `forward`: range grows with the index along them; drift: cells across for
 * each cell along. firstAlong, firstAcross: the window's first cell in the grid, so that a line
 * passes the same places in every window. reach: steps along a line within which ground hides
 * other ground. scratch: 25 bytes for each cell along.
 */
export function hiddenLines(
  slant: usize,
  look: usize,
  width: i32,
  height: i32,
  byColumn: bool,
  forward: bool,
  drift: f64,
  firstAlong: i32,
  firstAcross: i32,
  reach: i32,
  out: usize,
  scratch: usize,
): void {
  const along = byColumn ? width : height,
    across = byColumn ? height : width,
    da = byColumn ? 1 : width,
    db = byColumn ? width : 1;
  const start = drift * <f64>firstAlong,
    end = drift * <f64>(firstAlong + along - 1);
  const from = firstAcross - <i32>Math.ceil(max(start, end)) - 2,
    to = firstAcross + across - <i32>Math.floor(min(start, end)) + 2;
  const slants = scratch,
    looks = scratch + ((<usize>along) << 3),
    // Queues of places within reach: of the highest looks, of the farthest slants.
    highest = scratch + ((<usize>along) << 4),
    farthest = highest + ((<usize>along) << 2),
    // Bits of each place of a line.
    found = farthest + ((<usize>along) << 2);
  for (let line = from; line <= to; line++) {
    let any = false;
    for (let k = 0; k < along; k++) {
      const a = forward ? k : along - 1 - k,
        b = <f64>line + drift * <f64>(firstAlong + a),
        lo = Math.floor(b),
        f = b - lo,
        at = <i32>lo - firstAcross,
        o = (<usize>k) << 3;
      const s = between(slant, a * da, at, across, db, f);
      store<f64>(slants + o, s);
      store<f64>(looks + o, between(look, a * da, at, across, db, f));
      if (s == s) any = true;
    }
    if (!any) continue;
    memory.fill(found, 0, along);
    let lookHead = 0,
      lookTail = 0,
      slantHead = 0,
      slantTail = 0;
    for (let k = 0; k < along; k++) {
      const o = (<usize>k) << 3,
        s = load<f64>(slants + o),
        l = load<f64>(looks + o);
      if (s != s) continue;
      while (lookHead < lookTail && placeAt(highest, lookHead) < k - reach) lookHead++;
      while (slantHead < slantTail && placeAt(farthest, slantHead) < k - reach) slantHead++;
      let bits = 0;
      if (lookHead < lookTail && l < valueAt(looks, placeAt(highest, lookHead)) - 1e-3) bits |= 2;
      if (slantHead < slantTail && s < valueAt(slants, placeAt(farthest, slantHead)) - 1e-3)
        bits |= 1;
      store<u8>(found + <usize>k, <u8>bits);
      while (lookHead < lookTail && valueAt(looks, placeAt(highest, lookTail - 1)) <= l) lookTail--;
      store<i32>(highest + ((<usize>lookTail) << 2), k);
      lookTail++;
      while (slantHead < slantTail && valueAt(slants, placeAt(farthest, slantTail - 1)) <= s)
        slantTail--;
      store<i32>(farthest + ((<usize>slantTail) << 2), k);
      slantTail++;
    }
    // The way back keeps the nearest slants, in the room of the looks that are done with.
    const nearest = highest;
    let head = 0,
      tail = 0;
    for (let k = along - 1; k >= 0; k--) {
      const s = load<f64>(slants + ((<usize>k) << 3));
      if (s != s) continue;
      while (head < tail && placeAt(nearest, head) > k + reach) head++;
      if (head < tail && s > valueAt(slants, placeAt(nearest, head)) + 1e-3)
        store<u8>(found + <usize>k, load<u8>(found + <usize>k) | 1);
      while (head < tail && valueAt(slants, placeAt(nearest, tail - 1)) >= s) tail--;
      store<i32>(nearest + ((<usize>tail) << 2), k);
      tail++;
    }
    for (let k = 0; k < along; k++) {
      const bits = load<u8>(found + <usize>k);
      if (bits == 0) continue;
      // Marks lie on the cell nearest to the line.
      const a = forward ? k : along - 1 - k,
        b = <i32>Math.floor(<f64>line + drift * <f64>(firstAlong + a) + 0.5) - firstAcross;
      if (b < 0 || b >= across) continue;
      const at = <usize>(a * da + b * db),
        s = load<f64>(slant + (at << 3));
      if (s == s) store<u8>(out + at, load<u8>(out + at) | bits);
    }
  }
}

// @ts-ignore: decorator
@inline
function placeAt(places: usize, k: i32): i32 {
  return load<i32>(places + ((<usize>k) << 2));
}

// @ts-ignore: decorator
@inline
function valueAt(values: usize, k: i32): f64 {
  return load<f64>(values + ((<usize>k) << 3));
}

/** A value between two neighbours across; of the one that is there where the other is not. */
// @ts-ignore: decorator
@inline
function between(values: usize, a: i32, at: i32, across: i32, db: i32, f: f64): f64 {
  let p = NaN,
    q = NaN;
  if (at >= 0 && at < across) p = load<f64>(values + ((<usize>(a + at * db)) << 3));
  if (at >= -1 && at + 1 < across) q = load<f64>(values + ((<usize>(a + (at + 1) * db)) << 3));
  if (f == 0 || q != q) return p;
  return p == p ? p + (q - p) * f : q;
}
