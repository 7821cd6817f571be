// Layover and shadow along range lines; see core/src/radar/hidden.ts for the method.

/**
 * slant, look: width x height doubles, metres; NaN where there is no ground. out: a byte a cell,
 * cleared by the caller; bit 1 layover, bit 2 shadow. `byColumn`: lines follow the
 * columns, else the rows; `forward`: range grows with the index along them; drift: cells across for
 * each cell along. firstAlong, firstAcross: the window's first cell in the grid, so that a line
 * passes the same places in every window. reach: steps along a line within which ground hides
 * other ground. scratch: 24 bytes for each cell along.
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
    // Places of the highest looks and of the farthest or nearest slants within reach.
    first = scratch + ((<usize>along) << 4),
    second = first + ((<usize>along) << 2);
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
    let head1 = 0,
      tail1 = 0,
      head2 = 0,
      tail2 = 0;
    for (let k = 0; k < along; k++) {
      const o = (<usize>k) << 3,
        s = load<f64>(slants + o),
        l = load<f64>(looks + o);
      if (s != s) continue;
      while (head1 < tail1 && placeAt(first, head1) < k - reach) head1++;
      while (head2 < tail2 && placeAt(second, head2) < k - reach) head2++;
      let bits = 0;
      if (head1 < tail1 && l < valueAt(looks, placeAt(first, head1)) - 1e-3) bits |= 2;
      if (head2 < tail2 && s < valueAt(slants, placeAt(second, head2)) - 1e-3) bits |= 1;
      if (bits)
        mark(
          slant,
          out,
          forward ? k : along - 1 - k,
          line,
          drift,
          firstAlong,
          firstAcross,
          across,
          da,
          db,
          bits,
        );
      while (head1 < tail1 && valueAt(looks, placeAt(first, tail1 - 1)) <= l) tail1--;
      store<i32>(first + ((<usize>tail1) << 2), k);
      tail1++;
      while (head2 < tail2 && valueAt(slants, placeAt(second, tail2 - 1)) <= s) tail2--;
      store<i32>(second + ((<usize>tail2) << 2), k);
      tail2++;
    }
    let head = 0,
      tail = 0;
    for (let k = along - 1; k >= 0; k--) {
      const s = load<f64>(slants + ((<usize>k) << 3));
      if (s != s) continue;
      while (head < tail && placeAt(first, head) > k + reach) head++;
      if (head < tail && s > valueAt(slants, placeAt(first, head)) + 1e-3)
        mark(
          slant,
          out,
          forward ? k : along - 1 - k,
          line,
          drift,
          firstAlong,
          firstAcross,
          across,
          da,
          db,
          1,
        );
      while (head < tail && valueAt(slants, placeAt(first, tail - 1)) >= s) tail--;
      store<i32>(first + ((<usize>tail) << 2), k);
      tail++;
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

// @ts-ignore: decorator
@inline
function mark(
  slant: usize,
  out: usize,
  a: i32,
  line: i32,
  drift: f64,
  firstAlong: i32,
  firstAcross: i32,
  across: i32,
  da: i32,
  db: i32,
  bits: i32,
): void {
  const b = <i32>Math.floor(<f64>line + drift * <f64>(firstAlong + a) + 0.5) - firstAcross;
  if (b < 0 || b >= across) return;
  const at = <usize>(a * da + b * db),
    s = load<f64>(slant + (at << 3));
  if (s == s) store<u8>(out + at, load<u8>(out + at) | (<u8>bits));
}
