// Ten times the decimal logarithm of four cells at a time, in single precision: exponent bits and
// the series in
// s = (m − 1)/(m + 1), log2 m = (2/ln 2)(s + s³/3 + s⁵/5 + s⁷/7 + s⁹/9), m in [√½, √2).
const DB_PER_OCTAVE: f32 = 3.010299956639812;
const SERIES: f32 = 8.6858896380650366; // DB_PER_OCTAVE · 2 / ln 2
const SMALLEST_NORMAL: f32 = 1.1754943508222875e-38;

// @ts-ignore: decorator
@inline
function decibel4(x: v128): v128 {
  const tiny = f32x4.lt(x, f32x4.splat(SMALLEST_NORMAL));
  const y = v128.bitselect(f32x4.mul(x, f32x4.splat(1073741824)), x, tiny);
  let e = i32x4.sub(i32x4.shr_s(y, 23), i32x4.splat(127));
  let m = v128.or(v128.and(y, i32x4.splat(0x7fffff)), i32x4.splat(0x3f800000));
  const big = f32x4.gt(m, f32x4.splat(1.4142135));
  m = v128.bitselect(f32x4.mul(m, f32x4.splat(0.5)), m, big);
  e = i32x4.sub(i32x4.sub(e, big), v128.and(tiny, i32x4.splat(30)));
  const s = f32x4.div(f32x4.sub(m, f32x4.splat(1)), f32x4.add(m, f32x4.splat(1)));
  const q = f32x4.mul(s, s);
  let p = f32x4.add(f32x4.splat(<f32>(1.0 / 7)), f32x4.mul(q, f32x4.splat(<f32>(1.0 / 9))));
  p = f32x4.add(f32x4.splat(<f32>0.2), f32x4.mul(q, p));
  p = f32x4.add(f32x4.splat(<f32>(1.0 / 3)), f32x4.mul(q, p));
  p = f32x4.add(f32x4.splat(1), f32x4.mul(q, p));
  const value = f32x4.add(
    f32x4.mul(f32x4.convert_i32x4_s(e), f32x4.splat(DB_PER_OCTAVE)),
    f32x4.mul(f32x4.mul(s, f32x4.splat(SERIES)), p),
  );
  const valid = v128.and(
    f32x4.gt(x, f32x4.splat(0)),
    f32x4.lt(x, f32x4.splat(f32.POSITIVE_INFINITY)),
  );
  return v128.bitselect(value, f32x4.splat(f32.NaN), valid);
}

/** n cells from src to out; arrays are padded to a multiple of four cells. */
export function decibels(src: usize, out: usize, n: i32): void {
  for (let i = 0; i < n; i += 4)
    v128.store(out + ((<usize>i) << 2), decibel4(v128.load(src + ((<usize>i) << 2))));
}

/** Decibels of after ÷ before; nodata where either is not above zero. */
export function logRatios(before: usize, after: usize, out: usize, n: i32): void {
  const zero = f32x4.splat(0);
  for (let i = 0; i < n; i += 4) {
    const o = (<usize>i) << 2,
      b = v128.load(before + o),
      a = v128.load(after + o);
    const valid = v128.and(f32x4.gt(b, zero), f32x4.gt(a, zero));
    v128.store(out + o, v128.bitselect(decibel4(f32x4.div(a, b)), f32x4.splat(f32.NaN), valid));
  }
}
