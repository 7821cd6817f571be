/**
 * One condition in memory: address of the layer, operator (0 <, 1 <=, 2 >, 3 >=, 4 =, 5 is another
 * number), value; 12 bytes. One rule: label, conditions; 8 bytes.
 */
const CONDITION: usize = 12;

// @ts-ignore: decorator
@inline
function holds(v: v128, op: i32, t: v128): v128 {
  if (op == 0) return f32x4.lt(v, t);
  if (op == 1) return f32x4.le(v, t);
  if (op == 2) return f32x4.gt(v, t);
  if (op == 3) return f32x4.ge(v, t);
  if (op == 4) return f32x4.eq(v, t);
  // No number is another number than any: cells without one do not hold.
  return v128.and(f32x4.ne(v, t), f32x4.eq(v, v));
}

/**
 * Sixteen cells at a time. Later rules first, so that an earlier one overwrites; last the nodata of
 * the required layers (`seen`, an
 * array of addresses). Layers and out are padded to a multiple of sixteen cells.
 */
export function labelByRules(
  rules: usize,
  ruleCount: i32,
  conditions: usize,
  seen: usize,
  seenCount: i32,
  out: usize,
  n: i32,
): void {
  for (let i = 0; i < n; i += 16) {
    const o = (<usize>i) << 2;
    let labels = i8x16.splat(0),
      next = conditions;
    for (let k = 0; k < ruleCount; k++) {
      const rule = rules + ((<usize>k) << 3),
        count = load<i32>(rule, 4);
      let m0 = i32x4.splat(-1),
        m1 = m0,
        m2 = m0,
        m3 = m0;
      for (let j = 0; j < count; j++, next += CONDITION) {
        const p = <usize>load<u32>(next) + o,
          op = load<i32>(next, 4),
          t = f32x4.splat(load<f32>(next, 8));
        m0 = v128.and(m0, holds(v128.load(p), op, t));
        m1 = v128.and(m1, holds(v128.load(p, 16), op, t));
        m2 = v128.and(m2, holds(v128.load(p, 32), op, t));
        m3 = v128.and(m3, holds(v128.load(p, 48), op, t));
      }
      labels = v128.bitselect(i8x16.splat(<i8>load<i32>(rule)), labels, bytes(m0, m1, m2, m3));
    }
    for (let k = 0; k < seenCount; k++) {
      const p = <usize>load<u32>(seen + ((<usize>k) << 2)) + o,
        a = v128.load(p),
        b = v128.load(p, 16),
        c = v128.load(p, 32),
        d = v128.load(p, 48);
      labels = v128.or(
        labels,
        bytes(f32x4.ne(a, a), f32x4.ne(b, b), f32x4.ne(c, c), f32x4.ne(d, d)),
      );
    }
    v128.store(out + <usize>i, labels);
  }
}

// @ts-ignore: decorator
@inline
function bytes(a: v128, b: v128, c: v128, d: v128): v128 {
  return i8x16.narrow_i16x8_s(i16x8.narrow_i32x4_s(a, b), i16x8.narrow_i32x4_s(c, d));
}
