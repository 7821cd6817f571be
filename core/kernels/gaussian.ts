/**
 * Logarithms of prior times normal density, sixteen cells at a time, in single precision.
 * `bands`: addresses of the layers, band by band, padded to a multiple of sixteen cells. `classes`: by
 * class, f32: the constant, then by band the mean, then row by row the lower triangle of the inverse
 * Cholesky factor with √½ taken in, so that the score is the constant less the sum of squares.
 * `scratch`: sixteen cells a band. `scores`: by class `stride` cells. No number where a band is none.
 */
export function gaussianScores(
  bands: usize,
  bandCount: i32,
  classes: usize,
  classCount: i32,
  scratch: usize,
  scores: usize,
  stride: i32,
  n: i32,
): void {
  for (let i = 0; i < n; i += 16) {
    const o = (<usize>i) << 2;
    let w = classes;
    for (let k = 0; k < classCount; k++) {
      let s0 = v128.load32_splat(w),
        s1 = s0,
        s2 = s0,
        s3 = s0;
      w += 4;
      for (let b = 0; b < bandCount; b++, w += 4) {
        const p = <usize>load<u32>(bands + ((<usize>b) << 2)) + o,
          at = scratch + ((<usize>b) << 6),
          mean = v128.load32_splat(w);
        v128.store(at, f32x4.sub(v128.load(p), mean));
        v128.store(at, f32x4.sub(v128.load(p, 16), mean), 16);
        v128.store(at, f32x4.sub(v128.load(p, 32), mean), 32);
        v128.store(at, f32x4.sub(v128.load(p, 48), mean), 48);
      }
      let end = scratch + 64;
      for (let a = 0; a < bandCount; a++, end += 64) {
        let x0 = f32x4.splat(0),
          x1 = x0,
          x2 = x0,
          x3 = x0;
        for (let at = scratch; at < end; w += 4, at += 64) {
          const c = v128.load32_splat(w);
          x0 = f32x4.add(x0, f32x4.mul(c, v128.load(at)));
          x1 = f32x4.add(x1, f32x4.mul(c, v128.load(at, 16)));
          x2 = f32x4.add(x2, f32x4.mul(c, v128.load(at, 32)));
          x3 = f32x4.add(x3, f32x4.mul(c, v128.load(at, 48)));
        }
        s0 = f32x4.sub(s0, f32x4.mul(x0, x0));
        s1 = f32x4.sub(s1, f32x4.mul(x1, x1));
        s2 = f32x4.sub(s2, f32x4.mul(x2, x2));
        s3 = f32x4.sub(s3, f32x4.mul(x3, x3));
      }
      const to = scores + ((<usize>(k * stride)) << 2) + o;
      v128.store(to, s0);
      v128.store(to, s1, 16);
      v128.store(to, s2, 32);
      v128.store(to, s3, 48);
    }
  }
}

/**
 * Number of the class with the highest score, from 1, of sixteen cells at a time; of equal ones the
 * first; 255 where the scores are no numbers. `scores`: by class `stride` cells, padded to a
 * multiple of sixteen.
 */
export function likeliest(scores: usize, classCount: i32, stride: i32, out: usize, n: i32): void {
  for (let i = 0; i < n; i += 16) {
    let d0 = f32x4.splat(-Infinity),
      d1 = d0,
      d2 = d0,
      d3 = d0,
      labels = i8x16.splat(-1),
      p = scores + ((<usize>i) << 2);
    for (let k = 0; k < classCount; k++, p += (<usize>stride) << 2) {
      const s0 = v128.load(p),
        s1 = v128.load(p, 16),
        s2 = v128.load(p, 32),
        s3 = v128.load(p, 48);
      const m0 = f32x4.gt(s0, d0),
        m1 = f32x4.gt(s1, d1),
        m2 = f32x4.gt(s2, d2),
        m3 = f32x4.gt(s3, d3);
      d0 = v128.bitselect(s0, d0, m0);
      d1 = v128.bitselect(s1, d1, m1);
      d2 = v128.bitselect(s2, d2, m2);
      d3 = v128.bitselect(s3, d3, m3);
      labels = v128.bitselect(
        i8x16.splat(<i8>(k + 1)),
        labels,
        i8x16.narrow_i16x8_s(i16x8.narrow_i32x4_s(m0, m1), i16x8.narrow_i32x4_s(m2, m3)),
      );
    }
    v128.store(out + <usize>i, labels);
  }
}
