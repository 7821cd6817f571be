// Inner loops of the radar chain: calibration, positions from the sensor lattice, sampling, median.

/**
 * One row: (dn² − noise)/A², A and noise linear between two vectors each, at `share` and
 * `noiseShare` of the way. dn, a0, a1, n0, n1, out: n cells, padded to
 * four. noiseScale multiplies the noise (0: none).
 */
export function calibrateRow(
  dn: usize,
  a0: usize,
  a1: usize,
  n0: usize,
  n1: usize,
  share: f32,
  noiseShare: f32,
  noiseScale: f32,
  out: usize,
  n: i32,
): void {
  const f = f32x4.splat(share),
    g = f32x4.splat(noiseShare),
    k = f32x4.splat(noiseScale);
  for (let i = 0; i < n; i += 4) {
    const o = (<usize>i) << 2,
      x = v128.load(dn + o),
      p = v128.load(a0 + o),
      q = v128.load(n0 + o);
    const a = f32x4.add(p, f32x4.mul(f32x4.sub(v128.load(a1 + o), p), f)),
      e = f32x4.add(q, f32x4.mul(f32x4.sub(v128.load(n1 + o), q), g));
    v128.store(out + o, f32x4.div(f32x4.sub(f32x4.mul(x, x), f32x4.mul(e, k)), f32x4.mul(a, a)));
  }
}

/**
 * Columns and rows in a source window for one row of output cells, from a lattice of lines and
 * samples [nz][ny][nx].
 * col: grid column of the first cell, dx: from its middle; i0: first column of the lattice, du:
 * lattice columns a cell, a power of two; v: lattice row;
 * heights: n cells, metres, NaN = outside.
 * Source column = sample·cx + ox − left, row = line·cy + oy − top, so that what is left of a cell
 * does not hang on the window. xs, ys: n doubles; NaN where outside.
 */
export function rangePositions(
  line: usize,
  sample: usize,
  nx: i32,
  ny: i32,
  nz: i32,
  col: i32,
  dx: f64,
  i0: i32,
  du: f64,
  v: f64,
  heights: usize,
  k0: f64,
  perMetre: f64,
  cx: f64,
  ox: f64,
  left: f64,
  cy: f64,
  oy: f64,
  top: f64,
  xs: usize,
  ys: usize,
  n: i32,
): void {
  const j = <i32>Math.floor(v),
    fy = f64x2.splat(v - <f64>j),
    plane = nx * ny;
  for (let c = 0; c < n; c++) {
    const u = (<f64>(col + c) + dx) * du - <f64>i0,
      i = <i32>Math.floor(u),
      h = <f64>load<f32>(heights + ((<usize>c) << 2)) * perMetre - k0;
    if (!(h >= 0 && h < <f64>(nz - 1))) {
      store<f64>(xs + ((<usize>c) << 3), NaN);
      store<f64>(ys + ((<usize>c) << 3), NaN);
      continue;
    }
    const k = <i32>h,
      fz = h - <f64>k,
      fx = u - <f64>i;
    const o = (<usize>(k * plane + j * nx + i)) << 3,
      row = (<usize>nx) << 3,
      up = (<usize>plane) << 3;
    // Lane 0 the lower layer, lane 1 the upper one.
    const x = layers(sample, o, row, up, fx, fy),
      y = layers(line, o, row, up, fx, fy);
    const x0 = f64x2.extract_lane(x, 0),
      y0 = f64x2.extract_lane(y, 0);
    store<f64>(
      xs + ((<usize>c) << 3),
      inParts((x0 + (f64x2.extract_lane(x, 1) - x0) * fz) * cx + ox) - left,
    );
    store<f64>(
      ys + ((<usize>c) << 3),
      inParts((y0 + (f64x2.extract_lane(y, 1) - y0) * fz) * cy + oy) - top,
    );
  }
}

/** In 2^-24 of a cell, so that a window's corner can be taken off without rounding. */
// @ts-ignore: decorator
@inline
function inParts(x: f64): f64 {
  return nearest<f64>(x * 16777216) * 5.9604644775390625e-8;
}

// @ts-ignore: decorator
@inline
function layers(a: usize, o: usize, row: usize, up: usize, fx: f64, fy: v128): v128 {
  const p = pairOf(a + o, up),
    q = pairOf(a + o + 8, up),
    r = pairOf(a + o + row, up),
    s = pairOf(a + o + row + 8, up),
    f = f64x2.splat(fx);
  const top = f64x2.add(p, f64x2.mul(f64x2.sub(q, p), f)),
    low = f64x2.add(r, f64x2.mul(f64x2.sub(s, r), f));
  return f64x2.add(top, f64x2.mul(f64x2.sub(low, top), fy));
}
// @ts-ignore: decorator
@inline
function pairOf(p: usize, up: usize): v128 {
  return f64x2.replace_lane(f64x2.splat(load<f64>(p)), 1, load<f64>(p + up));
}

/**
 * Bilinear samples of src (width x height, NaN = nodata) at columns and rows in the corner
 * convention (a centre is at + ½). NaN where the
 * position is NaN or its nearest cell is outside or nodata; elsewhere nodata neighbours are left
 * out and the weights of the others are
 * scaled up.
 */
export function sampleBilinear(
  src: usize,
  width: i32,
  height: i32,
  xs: usize,
  ys: usize,
  out: usize,
  n: i32,
): void {
  for (let c = 0; c < n; c++) {
    const x = load<f64>(xs + ((<usize>c) << 3)) - 0.5,
      y = load<f64>(ys + ((<usize>c) << 3)) - 0.5;
    let value = f32.NaN;
    if (x >= -0.5 && y >= -0.5 && x < <f64>width - 0.5 && y < <f64>height - 0.5) {
      const xi = <i32>Math.floor(x),
        yi = <i32>Math.floor(y),
        fx = x - <f64>xi,
        fy = y - <f64>yi;
      if (xi >= 0 && yi >= 0 && xi < width - 1 && yi < height - 1) {
        const p = src + ((<usize>(yi * width + xi)) << 2),
          q = p + ((<usize>width) << 2);
        const a = <f64>load<f32>(p),
          b = <f64>load<f32>(p, 4),
          d = <f64>load<f32>(q),
          e = <f64>load<f32>(q, 4);
        const top = a + (b - a) * fx,
          low = d + (e - d) * fx,
          v = top + (low - top) * fy;
        value = v == v ? <f32>v : gappy(src, width, height, xi, yi, fx, fy);
      } else value = gappy(src, width, height, xi, yi, fx, fy);
    }
    store<f32>(out + ((<usize>c) << 2), value);
  }
}

function gappy(src: usize, width: i32, height: i32, xi: i32, yi: i32, fx: f64, fy: f64): f32 {
  const near = cell(src, width, height, fx < 0.5 ? xi : xi + 1, fy < 0.5 ? yi : yi + 1);
  if (near != near) return f32.NaN;
  let sum: f64 = 0,
    weights: f64 = 0;
  for (let j = 0; j < 2; j++)
    for (let i = 0; i < 2; i++) {
      const v = cell(src, width, height, xi + i, yi + j),
        w = (i == 0 ? 1 - fx : fx) * (j == 0 ? 1 - fy : fy);
      if (v == v) {
        sum += v * w;
        weights += w;
      }
    }
  return <f32>(weights > 0 ? sum / weights : near);
}
function cell(src: usize, width: i32, height: i32, x: i32, y: i32): f64 {
  return x < 0 || y < 0 || x >= width || y >= height
    ? NaN
    : <f64>load<f32>(src + ((<usize>(y * width + x)) << 2));
}

// @ts-ignore: decorator
@inline
function lo(a: v128, b: v128): v128 {
  return f32x4.min(a, b);
}
// @ts-ignore: decorator
@inline
function hi(a: v128, b: v128): v128 {
  return f32x4.max(a, b);
}

/**
 * Median of 3 x 3 cells for a strip of (width + 2) x (height + 2) cells without nodata, four at a
 * time. Source: median as the middle of
 * sorted columns (largest of the lows, median of the middles, smallest of the highs).
 */
export function median3(src: usize, width: i32, height: i32, out: usize): void {
  const stride = (<usize>(width + 2)) << 2;
  for (let r = 0; r < height; r++) {
    const p = src + <usize>r * stride,
      to = out + ((<usize>(r * width)) << 2);
    for (let c = 0; c < width; c += 4) {
      let low = f32x4.splat(f32.NEGATIVE_INFINITY),
        high = f32x4.splat(f32.POSITIVE_INFINITY);
      let m0 = low,
        m1 = low,
        m2 = low;
      for (let k = 0; k < 3; k++) {
        const q = p + ((<usize>(c + k)) << 2),
          a = v128.load(q),
          b = v128.load(q + stride),
          d = v128.load(q + 2 * stride);
        const ab = lo(a, b),
          AB = hi(a, b),
          mid = hi(ab, lo(AB, d));
        low = hi(low, lo(ab, d));
        high = lo(high, hi(AB, d));
        if (k == 0) m0 = mid;
        else if (k == 1) m1 = mid;
        else m2 = mid;
      }
      const m = hi(lo(m0, m1), lo(hi(m0, m1), m2)),
        result = hi(lo(low, m), lo(hi(low, m), high));
      if (c + 4 <= width) v128.store(to + ((<usize>c) << 2), result);
      else
        for (let k = 0; k < width - c; k++) {
          store<f32>(
            to + ((<usize>(c + k)) << 2),
            k == 0
              ? f32x4.extract_lane(result, 0)
              : k == 1
                ? f32x4.extract_lane(result, 1)
                : f32x4.extract_lane(result, 2),
          );
        }
    }
  }
}

/**
 * Facets of one row of elevation quads between columns from and to: each quad is cut so finely that
 * a piece is about half an image cell
 * at the most, and the pieces' areas along the beam are shared out over the four image cells around
 * their places. x0, y0, z0 belong to the upper row of corners, x1, y1, z1 to the lower
 * (positions in image cells, centres at whole numbers; heights in metres, NaN = nothing). hidden: a
 * byte a quad, bit 2 = shadow.
 * out: width x height doubles.
 */
export function facetRow(
  x0: usize,
  y0: usize,
  z0: usize,
  x1: usize,
  y1: usize,
  z1: usize,
  hidden: usize,
  from: i32,
  to: i32,
  flat: f64,
  columnRise: f64,
  rowRise: f64,
  out: usize,
  left: i32,
  top: i32,
  width: i32,
  height: i32,
): void {
  const first = <f64>left,
    right = <f64>(left + width),
    high = <f64>top,
    low = <f64>(top + height);
  for (let c = from; c < to; c++) {
    const o = (<usize>c) << 3,
      p = (<usize>c) << 2;
    const ax = load<f64>(x0 + o),
      bx = load<f64>(x0 + o, 8),
      dx = load<f64>(x1 + o),
      ex = load<f64>(x1 + o, 8);
    if (!(max(max(ax, bx), max(dx, ex)) > first - 1 && min(min(ax, bx), min(dx, ex)) < right))
      continue;
    const ay = load<f64>(y0 + o),
      by = load<f64>(y0 + o, 8),
      dy = load<f64>(y1 + o),
      ey = load<f64>(y1 + o, 8);
    if (!(max(max(ay, by), max(dy, ey)) > high - 1 && min(min(ay, by), min(dy, ey)) < low))
      continue;
    if (load<u8>(hidden + <usize>c) & 2) continue;
    const a = <f64>load<f32>(z0 + p),
      b = <f64>load<f32>(z0 + p, 4),
      d = <f64>load<f32>(z1 + p),
      e = <f64>load<f32>(z1 + p, 4);
    if (!(a + b + d + e > -1e30)) continue;
    const size = max(max(abs(bx - ax), abs(by - ay)), max(abs(dx - ax), abs(dy - ay))),
      parts = max(1, min(40, <i32>Math.ceil(1.7 * size)));
    const share = 1 / <f64>(parts * parts),
      step = 1 / <f64>parts;
    for (let q = 0; q < parts; q++) {
      const v = (<f64>q + 0.5) * step,
        hc = (b - a) * (1 - v) + (e - d) * v;
      const lx = ax + (dx - ax) * v,
        rx = bx + (ex - bx) * v,
        ly = ay + (dy - ay) * v,
        ry = by + (ey - by) * v;
      for (let k = 0; k < parts; k++) {
        const u = (<f64>k + 0.5) * step,
          hr = (d - a) * (1 - u) + (e - b) * u,
          area = (flat + hc * columnRise + hr * rowRise) * share;
        if (!(area > 0)) continue;
        const x = lx + (rx - lx) * u,
          y = ly + (ry - ly) * u,
          xf = Math.floor(x),
          yf = Math.floor(y),
          fx = x - xf,
          fy = y - yf,
          xi = <i32>xf - left,
          yi = <i32>yf - top;
        if (xi < -1 || yi < -1 || xi >= width || yi >= height) continue;
        const at = out + ((<usize>(yi * width + xi)) << 3),
          below = at + ((<usize>width) << 3),
          upper = area * (1 - fy),
          lower = area * fy;
        if (yi >= 0) {
          if (xi >= 0) store<f64>(at, load<f64>(at) + upper * (1 - fx));
          if (xi + 1 < width) store<f64>(at, load<f64>(at, 8) + upper * fx, 8);
        }
        if (yi + 1 < height) {
          if (xi >= 0) store<f64>(below, load<f64>(below) + lower * (1 - fx));
          if (xi + 1 < width) store<f64>(below, load<f64>(below, 8) + lower * fx, 8);
        }
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function weight(k: i32, f: f64): f64 {
  // Cubic convolution with a = −½ at −1, 0, 1, 2 from the cell before the place.
  return k == 0
    ? ((-0.5 * f + 1) * f - 0.5) * f
    : k == 1
      ? (1.5 * f - 2.5) * f * f + 1
      : k == 2
        ? ((-1.5 * f + 2) * f + 0.5) * f
        : (0.5 * f - 0.5) * f * f;
}

/**
 * Cubic convolution (Keys 1981, a = −½) over 4 x 4 cells, at positions as in sampleBilinear. Where
 * one of the cells is nodata or outside, bilinear
 * stands in, and so it does where the curve would swing below nought beside a bright target.
 */
export function sampleCubic(
  src: usize,
  width: i32,
  height: i32,
  xs: usize,
  ys: usize,
  out: usize,
  n: i32,
): void {
  sampleBilinear(src, width, height, xs, ys, out, n);
  for (let c = 0; c < n; c++) {
    const x = load<f64>(xs + ((<usize>c) << 3)) - 0.5,
      y = load<f64>(ys + ((<usize>c) << 3)) - 0.5;
    if (!(x >= 1 && y >= 1 && x < <f64>width - 2 && y < <f64>height - 2)) continue;
    const xi = <i32>Math.floor(x),
      yi = <i32>Math.floor(y),
      fx = x - <f64>xi,
      fy = y - <f64>yi;
    let sum: f64 = 0;
    for (let j = 0; j < 4; j++) {
      const p = src + ((<usize>((yi - 1 + j) * width + xi - 1)) << 2);
      let row: f64 = 0;
      for (let i = 0; i < 4; i++) row += <f64>load<f32>(p + ((<usize>i) << 2)) * weight(i, fx);
      sum += row * weight(j, fy);
    }
    const to = out + ((<usize>c) << 2);
    if (sum == sum && !(sum < 0 && load<f32>(to) >= 0)) store<f32>(to, <f32>sum);
  }
}
