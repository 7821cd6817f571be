// @ts-ignore: decorator
@inline
function keep(v: v128): v128 {
  return v128.and(v, f64x2.eq(v, v));
}

/**
 * Lee 1980 over a strip. Sums are taken for every cell in the same order (down a column, then
 * across), never as running sums, so
 * that a cell's value does not depend on the strip it was computed in.
 * src: (width + size − 1) x (height + size − 1) cells; out: width x height; scratch: 3 x (width +
 * size + 2) doubles.
 * gaps: whether src holds NaN.
 */
export function leeStrip(
  src: usize,
  width: i32,
  height: i32,
  size: i32,
  looks: f64,
  out: usize,
  scratch: usize,
  gaps: bool,
): void {
  const h = (size - 1) >> 1,
    w = width + 2 * h,
    stride = (<usize>w) << 2,
    room = (<usize>(w + 4)) << 3;
  const sums = scratch,
    squares = scratch + room,
    counts = scratch + 2 * room;
  const cv = 1 / looks,
    norm = f64x2.splat(1 / (1 + cv)),
    speckle = f64x2.splat(cv),
    share = f64x2.splat(1 / <f64>(size * size)),
    one = f64x2.splat(1),
    zero = f64x2.splat(0);
  for (let r = 0; r < height; r++) {
    const top = src + <usize>r * stride;
    for (let c = 0; c < w; c += 2) {
      let s = zero,
        q = zero,
        n = zero,
        p = top + ((<usize>c) << 2);
      for (let k = 0; k < size; k++) {
        let v = f64x2.promote_low_f32x4(v128.load64_zero(p));
        if (gaps) {
          n = f64x2.add(n, v128.and(one, f64x2.eq(v, v)));
          v = keep(v);
        }
        s = f64x2.add(s, v);
        q = f64x2.add(q, f64x2.mul(v, v));
        p += stride;
      }
      const o = (<usize>c) << 3;
      v128.store(sums + o, s);
      v128.store(squares + o, q);
      if (gaps) v128.store(counts + o, n);
    }
    const middle = top + <usize>h * stride + ((<usize>h) << 2),
      to = out + ((<usize>r * <usize>width) << 2);
    for (let c = 0; c < width; c += 2) {
      let s = zero,
        q = zero,
        n = zero;
      for (let k = 0; k < size; k++) {
        const o = (<usize>(c + k)) << 3;
        s = f64x2.add(s, v128.load(sums + o));
        q = f64x2.add(q, v128.load(squares + o));
        if (gaps) n = f64x2.add(n, v128.load(counts + o));
      }
      const m = gaps ? f64x2.div(one, n) : share;
      const z = f64x2.promote_low_f32x4(v128.load64_zero(middle + ((<usize>c) << 2)));
      const mean = f64x2.mul(s, m),
        square = f64x2.mul(mean, mean),
        v = f64x2.sub(f64x2.mul(q, m), square);
      const signal = f64x2.mul(f64x2.sub(v, f64x2.mul(square, speckle)), norm);
      const smooth = f64x2.add(mean, f64x2.mul(f64x2.div(signal, v), f64x2.sub(z, mean)));
      let x = v128.bitselect(smooth, mean, f64x2.gt(signal, zero));
      x = v128.bitselect(x, z, f64x2.eq(z, z));
      const f = f32x4.demote_f64x2_zero(x);
      if (c + 1 < width) v128.store64_lane(to + ((<usize>c) << 2), f, 0);
      else v128.store32_lane(to + ((<usize>c) << 2), f, 0);
    }
  }
}
