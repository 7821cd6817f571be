// The bin of a value, of which it is known how many edges lie below the place of the table where it is;
// edges after those of that place are not below it.
// @ts-ignore: decorator
@inline
function binOf(x: f32, edges: usize, start: i32, half: i32): u8 {
  let at = start;
  for (let step = half; step > 0; step >>= 1) {
    at += x > load<f32>(edges + ((<usize>(at + step - 1)) << 2)) ? step : 0;
  }
  return <u8>at;
}

/**
 * Bins of a band's values: how many of the edges are below each. `edges`: f32, ascending, 256 infinite ones
 * after them. A value is first looked up in a table of 4096 places, `scale` of them a unit from `base` on;
 * `starts`: by place how many edges lie in those before it, u8. `half`: the power of two of which twice less
 * one is as many edges as the fullest place has; nought where there is no edge. No number lies in bin 0.
 * `out`: the band's place in the first group of sixteen cells; `wide`: bytes from one group to the next.
 * Works on four values at a time: up to three after the last are read, and have their bins written.
 */
export function binValues(
  src: usize,
  edges: usize,
  starts: usize,
  base: f32,
  scale: f32,
  half: i32,
  out: usize,
  wide: i32,
  n: i32,
): void {
  const bases = f32x4.splat(base),
    scales = f32x4.splat(scale),
    none = i32x4.splat(0),
    last = i32x4.splat(4095);
  for (let i = 0; i < n; i += 4) {
    const x = v128.load(src + ((<usize>i) << 2));
    const place = i32x4.trunc_sat_f32x4_s(f32x4.mul(f32x4.sub(x, bases), scales));
    const at = i32x4.min_s(i32x4.max_s(place, none), last);
    const to = out + <usize>((i >> 4) * wide + (i & 15));
    const s0 = <i32>load<u8>(starts + <usize>i32x4.extract_lane(at, 0)),
      s1 = <i32>load<u8>(starts + <usize>i32x4.extract_lane(at, 1)),
      s2 = <i32>load<u8>(starts + <usize>i32x4.extract_lane(at, 2)),
      s3 = <i32>load<u8>(starts + <usize>i32x4.extract_lane(at, 3));
    store<u8>(to, binOf(f32x4.extract_lane(x, 0), edges, s0, half));
    store<u8>(to, binOf(f32x4.extract_lane(x, 1), edges, s1, half), 1);
    store<u8>(to, binOf(f32x4.extract_lane(x, 2), edges, s2, half), 2);
    store<u8>(to, binOf(f32x4.extract_lane(x, 3), edges, s3, half), 3);
  }
}

// One step of a walk down a tree: where it goes on from the node at an address, by the cell's bin in the
// band of that node; eight times the number of a node.
// @ts-ignore: decorator
@inline
export function next(at: usize, bin: u32): u32 {
  return load<u32>(at, 4) + ((<u32>(bin > <u32>load<u16>(at, 2))) << 3);
}

// @ts-ignore: decorator
@inline
function addShares(shares: usize, quads: i32, node: u32, to: usize): void {
  const from = shares + <usize>((node >> 3) * (quads << 4));
  v128.store(to, f32x4.add(v128.load(to), v128.load(from)));
  if (quads > 1) {
    v128.store(to, f32x4.add(v128.load(to, 16), v128.load(from, 16)), 16);
    for (let at: usize = 32; at < (<usize>quads) << 4; at += 16) {
      v128.store(to + at, f32x4.add(v128.load(to + at), v128.load(from + at)));
    }
  }
}

// The node that sixteen cells come to after the first levels of a tree, as places among all that a
// whole tree would have there. `top`: level by level the bands of its nodes and then their bins, a
// byte each, sixteen or as many as there are.
// @ts-ignore: decorator
@inline
function descend(cells: usize, wide: i32, top: usize, levels: i32): v128 {
  const sixteen = i8x16.splat(16),
    one = i8x16.splat(1);
  let place = i8x16.splat(0),
    table = top,
    count: usize = 16;
  for (let level = 0; level < levels; level++) {
    let band = i8x16.swizzle(v128.load(table), place),
      bin = i8x16.swizzle(v128.load(table + count), place),
      beyond = place;
    for (let k: usize = 16; k < count; k += 16) {
      // Places of other sixteens look up nought.
      beyond = i8x16.sub(beyond, sixteen);
      band = v128.or(band, i8x16.swizzle(v128.load(table + k), beyond));
      bin = v128.or(bin, i8x16.swizzle(v128.load(table + count + k), beyond));
    }
    let value = i8x16.splat(0),
      number = value;
    for (let b = 0; b < wide; b += 16, number = i8x16.add(number, one)) {
      value = v128.or(value, v128.and(v128.load(cells + <usize>b), i8x16.eq(band, number)));
    }
    // True is −1: to the right.
    place = i8x16.sub(i8x16.add(place, place), i8x16.gt_u(value, bin));
    table += count + count;
    count = level < 4 ? 16 : count + count;
  }
  return place;
}

/**
 * Adds the shares of the leaves in which cells end, sixteen cells at a time. The first levels of the
 * tree are gone through for all of them at once; then eight walk on beside each other. `cells`: bins by
 * group of sixteen cells, band by band. `top`, `levels`: see above; `entries`: by place after them the
 * offset of the node, u32. `nodes`: by node eight bytes: sixteen times the band (u16), the bin (u16),
 * eight times the left child (u32); `depth`: steps that are left. `shares`: by node `quads` times four
 * f32, as `out` has them by cell. n is a multiple of sixteen.
 */
export function addTree(
  cells: usize,
  wide: i32,
  top: usize,
  levels: i32,
  entries: usize,
  nodes: usize,
  depth: i32,
  shares: usize,
  quads: i32,
  out: usize,
  n: i32,
): void {
  const step = (<usize>quads) << 4;
  let c = cells,
    to = out;
  for (let i = 0; i < n; i += 16, c += <usize>wide) {
    const place = descend(c, wide, top, levels);
    let n0 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 0)) << 2)),
      n1 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 1)) << 2)),
      n2 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 2)) << 2)),
      n3 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 3)) << 2)),
      n4 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 4)) << 2)),
      n5 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 5)) << 2)),
      n6 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 6)) << 2)),
      n7 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 7)) << 2));
    for (let half: usize = 0; half < 16; half += 8) {
      const own = c + half;
      for (let level = 0; level < depth; level++) {
        let at = nodes + <usize>n0;
        n0 = next(at, <u32>load<u8>(own + <usize>load<u16>(at)));
        at = nodes + <usize>n1;
        n1 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 1));
        at = nodes + <usize>n2;
        n2 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 2));
        at = nodes + <usize>n3;
        n3 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 3));
        at = nodes + <usize>n4;
        n4 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 4));
        at = nodes + <usize>n5;
        n5 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 5));
        at = nodes + <usize>n6;
        n6 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 6));
        at = nodes + <usize>n7;
        n7 = next(at, <u32>load<u8>(own + <usize>load<u16>(at), 7));
      }
      addShares(shares, quads, n0, to);
      addShares(shares, quads, n1, (to += step));
      addShares(shares, quads, n2, (to += step));
      addShares(shares, quads, n3, (to += step));
      addShares(shares, quads, n4, (to += step));
      addShares(shares, quads, n5, (to += step));
      addShares(shares, quads, n6, (to += step));
      addShares(shares, quads, n7, (to += step));
      to += step;
      n0 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 8)) << 2));
      n1 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 9)) << 2));
      n2 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 10)) << 2));
      n3 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 11)) << 2));
      n4 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 12)) << 2));
      n5 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 13)) << 2));
      n6 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 14)) << 2));
      n7 = load<u32>(entries + ((<usize>i8x16.extract_lane_u(place, 15)) << 2));
    }
  }
}
