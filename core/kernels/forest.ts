/**
 * Bins of a band's values: how many of the edges are below each. `edges`: 255 of them, f64,
 * ascending, those that there are none of infinite. No number lies in bin 0. `out`: the band's place
 * in the first group of sixteen cells; `wide`: bytes from one group to the next.
 */
export function binValues(
  src: usize,
  edges: usize,
  bins: i32,
  out: usize,
  wide: i32,
  n: i32,
): void {
  let half = 1;
  while (half < bins) half <<= 1;
  half >>= 1;
  for (let i = 0; i < n; i++) {
    const x = <f64>load<f32>(src + ((<usize>i) << 2));
    let at = 0;
    for (let step = half; step > 0; step >>= 1) {
      // Edges before `at` are below the value; is the last of the next `step` ones too?
      at += x > load<f64>(edges + ((<usize>(at + step - 1)) << 3)) ? step : 0;
    }
    store<u8>(out + <usize>((i >> 4) * wide + (i & 15)), <u8>at);
  }
}

// One step of a walk: `node` is an offset among the nodes, `bins` the group's with the cell's place.
// @ts-ignore: decorator
@inline
function next(at: usize, bin: u32): u32 {
  return load<u32>(at, 4) + ((<u32>(bin > <u32>load<u16>(at, 2))) << 3);
}

// @ts-ignore: decorator
@inline
function addShares(shares: usize, quads: i32, node: u32, to: usize): void {
  let from = shares + <usize>((node >> 3) * (quads << 4));
  for (let q = 0; q < quads; q++, from += 16, to += 16) {
    v128.store(to, f32x4.add(v128.load(to), v128.load(from)));
  }
}

/**
 * Adds the shares of the leaves in which cells end, eight cells at a time so that their walks run
 * beside each other. `cells`: bins by group of sixteen cells, band by band. `nodes`: by node eight
 * bytes: sixteen times the band (u16), the bin (u16), eight times the left child (u32). `shares`: by
 * node `quads` times four f32, as `out` has them by cell. n is a multiple of sixteen.
 */
export function addTree(
  cells: usize,
  wide: i32,
  nodes: usize,
  depth: i32,
  shares: usize,
  quads: i32,
  out: usize,
  n: i32,
): void {
  const step = (<usize>quads) << 4;
  for (let i = 0; i < n; i += 8) {
    const c = cells + <usize>((i >> 4) * wide + (i & 15));
    let n0: u32 = 0,
      n1: u32 = 0,
      n2: u32 = 0,
      n3: u32 = 0,
      n4: u32 = 0,
      n5: u32 = 0,
      n6: u32 = 0,
      n7: u32 = 0;
    for (let level = 0; level < depth; level++) {
      let at = nodes + <usize>n0;
      n0 = next(at, <u32>load<u8>(c + <usize>load<u16>(at)));
      at = nodes + <usize>n1;
      n1 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 1));
      at = nodes + <usize>n2;
      n2 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 2));
      at = nodes + <usize>n3;
      n3 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 3));
      at = nodes + <usize>n4;
      n4 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 4));
      at = nodes + <usize>n5;
      n5 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 5));
      at = nodes + <usize>n6;
      n6 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 6));
      at = nodes + <usize>n7;
      n7 = next(at, <u32>load<u8>(c + <usize>load<u16>(at), 7));
    }
    let to = out + <usize>i * step;
    addShares(shares, quads, n0, to);
    addShares(shares, quads, n1, (to += step));
    addShares(shares, quads, n2, (to += step));
    addShares(shares, quads, n3, (to += step));
    addShares(shares, quads, n4, (to += step));
    addShares(shares, quads, n5, (to += step));
    addShares(shares, quads, n6, (to += step));
    addShares(shares, quads, n7, (to += step));
  }
}
