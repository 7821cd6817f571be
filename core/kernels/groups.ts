/**
 * Number of the nearest middle, from 1, of sixteen cells at a time; 255 where a band is no number.
 * `bands`: addresses of the layers, band by band; `middles`: by group
 * the values of its middle, f32, in the unit of the layers; `weights`: by band what a squared
 * difference counts. Of equally near middles the first. Layers and out are
 * padded to a multiple of sixteen cells.
 */
export function nearestGroups(
  bands: usize,
  bandCount: i32,
  middles: usize,
  groupCount: i32,
  weights: usize,
  out: usize,
  n: i32,
): void {
  const far = f32x4.splat(Infinity);
  for (let i = 0; i < n; i += 16) {
    const o = (<usize>i) << 2;
    let d0 = far,
      d1 = far,
      d2 = far,
      d3 = far,
      labels = i8x16.splat(-1),
      middle = middles;
    for (let g = 0; g < groupCount; g++) {
      let s0 = f32x4.splat(0),
        s1 = s0,
        s2 = s0,
        s3 = s0;
      for (let b = 0; b < bandCount; b++, middle += 4) {
        const p = <usize>load<u32>(bands + ((<usize>b) << 2)) + o,
          c = f32x4.splat(load<f32>(middle)),
          w = f32x4.splat(load<f32>(weights + ((<usize>b) << 2)));
        const x0 = f32x4.sub(v128.load(p), c),
          x1 = f32x4.sub(v128.load(p, 16), c),
          x2 = f32x4.sub(v128.load(p, 32), c),
          x3 = f32x4.sub(v128.load(p, 48), c);
        s0 = f32x4.add(s0, f32x4.mul(f32x4.mul(x0, x0), w));
        s1 = f32x4.add(s1, f32x4.mul(f32x4.mul(x1, x1), w));
        s2 = f32x4.add(s2, f32x4.mul(f32x4.mul(x2, x2), w));
        s3 = f32x4.add(s3, f32x4.mul(f32x4.mul(x3, x3), w));
      }
      // A comparison with no number is false: such cells keep what they began with.
      const m0 = f32x4.lt(s0, d0),
        m1 = f32x4.lt(s1, d1),
        m2 = f32x4.lt(s2, d2),
        m3 = f32x4.lt(s3, d3);
      d0 = v128.bitselect(s0, d0, m0);
      d1 = v128.bitselect(s1, d1, m1);
      d2 = v128.bitselect(s2, d2, m2);
      d3 = v128.bitselect(s3, d3, m3);
      labels = v128.bitselect(
        i8x16.splat(<i8>(g + 1)),
        labels,
        i8x16.narrow_i16x8_s(i16x8.narrow_i32x4_s(m0, m1), i16x8.narrow_i32x4_s(m2, m3)),
      );
    }
    v128.store(out + <usize>i, labels);
  }
}
