// Layover and shadow along range lines; see core/src/radar/hidden.ts for the method.

/**
 * z: width x height heights in metres, NaN = nothing. out: a byte a cell, cleared by the caller;
 * bit 1 layover, bit 2 shadow. `byColumn`: lines follow the
 * columns, else the rows; `forward`: range grows with the index along them; drift: cells across for
 * each cell along; step: ground metres of one
 * cell along; sin, cos: of the incidence. scratch: 2 doubles for each cell along.
 */
export function hiddenLines(
  z: usize,
  width: i32,
  height: i32,
  byColumn: bool,
  forward: bool,
  drift: f64,
  step: f64,
  sin: f64,
  cos: f64,
  out: usize,
  scratch: usize,
): void {
  const along = byColumn ? width : height,
    across = byColumn ? height : width,
    tilt = <i32>Math.ceil(abs(drift) * <f64>along) + 1;
  const da = byColumn ? 1 : width,
    db = byColumn ? width : 1,
    range = scratch + ((<usize>along) << 3);
  for (let line = -tilt; line < across + tilt; line++) {
    let last = NaN,
      any = false;
    for (let k = 0; k < along; k++) {
      const a = forward ? k : along - 1 - k,
        b = <f64>line + drift * <f64>a,
        lo = <i32>Math.floor(b),
        f = b - <f64>lo;
      let h = NaN;
      if (lo >= 0 && lo + 1 < across) {
        const at = z + ((<usize>(a * da + lo * db)) << 2),
          p = <f64>load<f32>(at),
          q = <f64>load<f32>(at + ((<usize>db) << 2));
        h = p + (q - p) * f;
        if (h != h) h = p == p ? p : q;
      } else if (lo >= -1 && lo < across)
        h = <f64>load<f32>(z + ((<usize>(a * da + max(0, lo) * db)) << 2));
      if (h != h) h = last;
      else {
        last = h;
        any = true;
      }
      store<f64>(scratch + ((<usize>k) << 3), h);
    }
    if (!any) continue;
    let highest = -Infinity,
      farthest = -Infinity;
    for (let k = 0; k < along; k++) {
      const h = load<f64>(scratch + ((<usize>k) << 3));
      if (h != h) {
        store<f64>(range + ((<usize>k) << 3), NaN);
        continue;
      }
      const d = <f64>k * step,
        look = d * cos + h * sin,
        slant = d * sin - h * cos;
      store<f64>(range + ((<usize>k) << 3), slant);
      let bits = 0;
      if (look < highest - 1e-6) bits |= 2;
      else highest = look;
      if (slant < farthest - 1e-6) bits |= 1;
      else farthest = slant;
      if (bits) mark(z, out, forward ? k : along - 1 - k, line, drift, across, da, db, bits);
    }
    let nearest = Infinity;
    for (let k = along - 1; k >= 0; k--) {
      const s = load<f64>(range + ((<usize>k) << 3));
      if (s != s) continue;
      if (s > nearest + 1e-6)
        mark(z, out, forward ? k : along - 1 - k, line, drift, across, da, db, 1);
      else nearest = s;
    }
  }
}

// @ts-ignore: decorator
@inline
function mark(
  z: usize,
  out: usize,
  a: i32,
  line: i32,
  drift: f64,
  across: i32,
  da: i32,
  db: i32,
  bits: i32,
): void {
  const b = <i32>Math.floor(<f64>line + drift * <f64>a + 0.5);
  if (b < 0 || b >= across) return;
  const at = <usize>(a * da + b * db),
    h = load<f32>(z + (at << 2));
  if (h == h) store<u8>(out + at, load<u8>(out + at) | (<u8>bits));
}
