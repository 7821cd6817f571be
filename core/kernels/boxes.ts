import { next } from "./forest";

// One step down a tree of boxes; `box` is eight times its number.
// @ts-ignore: decorator
@inline
function inner(boxes: usize, bins: usize, box: u32): u32 {
  const at = boxes + <usize>box;
  return next(at, <u32>load<u8>(bins + <usize>load<u16>(at)));
}

/**
 * Takes cells on to the boxes that are not cut in which they lie, four beside each other. `cells`: bins by
 * group of sixteen cells, band by band, `wide` bytes a group. `boxes`: by box eight bytes as the nodes of
 * a tree of a forest; one that is not cut leads to itself. `inside`: by cell eight times the number of the
 * box in which it is, u32, also what is given back. n is a multiple of sixteen.
 */
export function descendBoxes(cells: usize, wide: i32, boxes: usize, inside: usize, n: i32): void {
  for (let i = 0; i < n; i += 4) {
    const own = cells + <usize>((i >> 4) * wide + (i & 15));
    const to = inside + ((<usize>i) << 2);
    let b0 = load<u32>(to),
      b1 = load<u32>(to, 4),
      b2 = load<u32>(to, 8),
      b3 = load<u32>(to, 12),
      // Numbers of boxes grow on the way down: their sum does until all have come to the end.
      last: u64 = 0,
      sum: u64 = <u64>b0 + b1 + b2 + b3;
    do {
      last = sum;
      b0 = inner(boxes, own, b0);
      b1 = inner(boxes, own + 1, b1);
      b2 = inner(boxes, own + 2, b2);
      b3 = inner(boxes, own + 3, b3);
      sum = <u64>b0 + b1 + b2 + b3;
    } while (sum !== last);
    store<u32>(to, b0);
    store<u32>(to, b1, 4);
    store<u32>(to, b2, 8);
    store<u32>(to, b3, 12);
  }
}

/** Puts the bins of a cell in the place of another one. */
// @ts-ignore: decorator
@inline
function moveBins(cells: usize, wide: i32, at: i32, to: i32): void {
  const from = cells + <usize>((at >> 4) * wide + (at & 15));
  const onto = cells + <usize>((to >> 4) * wide + (to & 15));
  for (let b: usize = 0; b < <usize>wide; b += 16) {
    store<u8>(onto + b, load<u8>(from + b));
  }
}

/** Puts the sums of a cell in the place of another one. */
// @ts-ignore: decorator
@inline
function moveSums(sums: usize, quads: i32, at: i32, to: i32): void {
  const step = (<usize>quads) << 4;
  for (let k: usize = 0; k < step; k += 16) {
    v128.store(sums + <usize>to * step + k, v128.load(sums + <usize>at * step + k));
  }
}

/** Moves the bins of some cells to the front. `numbers`: theirs, u32, ascending. */
export function gatherCells(cells: usize, wide: i32, numbers: usize, n: i32): void {
  for (let to = 0; to < n; to++) {
    const at = <i32>load<u32>(numbers + ((<usize>to) << 2));
    moveBins(cells, wide, at, to);
  }
}

/**
 * Labels cells whose class cannot change any more, and moves the others to the front. `cells`, `wide`:
 * as above; `sums`: by cell `quads` times four f32, of which `classes` count. `numbers`: by cell its
 * number, u32, moved with it. By number: `tops`, the class that is likely, u8, from nought, and `gains`,
 * what any other may still gain on that, f32; any class may gain `others` on any. `out`: by number the
 * class, u8, counted from 1. Gives back how many cells are left.
 */
export function keepUndecided(
  cells: usize,
  wide: i32,
  sums: usize,
  quads: i32,
  classes: i32,
  numbers: usize,
  tops: usize,
  gains: usize,
  others: f32,
  out: usize,
  n: i32,
): i32 {
  let kept = 0;
  for (let i = 0; i < n; i++) {
    const own = sums + ((<usize>i * <usize>quads) << 4);
    let top = 0,
      first = load<f32>(own),
      second: f32 = -1;
    for (let k = 1; k < classes; k++) {
      const sum = load<f32>(own + ((<usize>k) << 2));
      const isAhead = sum > first;
      const behind = select<f32>(first, sum, isAhead);
      second = select<f32>(behind, second, behind > second);
      top = select<i32>(k, top, isAhead);
      first = select<f32>(sum, first, isAhead);
    }
    const number = load<u32>(numbers + ((<usize>i) << 2));
    const likely = <i32>load<u8>(tops + <usize>number);
    const gain = load<f32>(gains + ((<usize>number) << 2));
    if (first - second > select<f32>(gain, others, top === likely)) {
      store<u8>(out + <usize>number, <u8>(top + 1));
      continue;
    }
    if (kept !== i) {
      moveBins(cells, wide, i, kept);
      moveSums(sums, quads, i, kept);
      store<u32>(numbers + ((<usize>kept) << 2), number);
    }
    kept++;
  }
  return kept;
}
