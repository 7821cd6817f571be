/**
 * Cells ordered by height: a binary heap over cell numbers; equal heights leave in the order in
 * which they came.
 */
class Heap {
  private readonly cells: Int32Array;
  private readonly age: Int32Array;
  private n = 0;
  private born = 0;
  constructor(
    private readonly height: Float64Array,
    size: number,
  ) {
    this.cells = new Int32Array(size);
    this.age = new Int32Array(size);
  }
  get size(): number {
    return this.n;
  }
  private before(a: number, b: number): boolean {
    const x = this.height[a]!;
    const y = this.height[b]!;
    return x < y || (x === y && this.age[a]! < this.age[b]!);
  }
  push(c: number): void {
    const { cells } = this;
    this.age[c] = this.born++;
    let i = this.n++;
    for (; i > 0;) {
      const up = (i - 1) >> 1;
      if (!this.before(c, cells[up]!)) {
        break;
      }
      cells[i] = cells[up]!;
      i = up;
    }
    cells[i] = c;
  }
  pop(): number {
    const { cells } = this;
    const top = cells[0]!;
    const last = cells[--this.n]!;
    let i = 0;
    for (let k = 1; k < this.n; k = 2 * i + 1) {
      if (k + 1 < this.n && this.before(cells[k + 1]!, cells[k]!)) {
        k++;
      }
      if (!this.before(cells[k]!, last)) {
        break;
      }
      cells[i] = cells[k]!;
      i = k;
    }
    if (this.n > 0) {
      cells[i] = last;
    }
    return top;
  }
}

const DC = [1, 1, 0, -1, -1, -1, 0, 1];
const DR = [0, 1, 1, 1, 0, -1, -1, -1];

/**
 * Height of the drainage that each cell's water reaches first: the ground along its flow path where
 * so many cells drain through. Height above it, the
 * cell's own height less this one, tells how far a place lies over the water that would flood it.
 *
 * Hollows are filled from the edges inwards (priority flood, Barnes, Lehman & Mulla 2014); water
 * goes to the lowest of eight neighbours of the filled
 * ground, over flats the way the flood came. Where no cell of a path drains enough, its outlet at
 * the edge stands for the drainage.
 * Source: Rennó et al. 2008, Nobre et al. 2011 (HAND).
 * @param z heights, width x height, NaN = nodata, over whose rim water can leave as over the edge
 * @param leastCells cells that must drain through a cell for it to be drainage, itself counted
 * @param out height of the drainage; NaN where z is
 */
export function drainageHeight(
  z: Float64Array,
  width: number,
  height: number,
  leastCells: number,
  out: Float64Array,
): void {
  const n = width * height;
  const filled = Float64Array.from(z);
  const to = new Int32Array(n).fill(-1);
  const seen = new Uint8Array(n);
  const order = new Int32Array(n);
  const heap = new Heap(filled, n);
  let count = 0;
  for (let r = 0, i = 0; r < height; r++) {
    for (let c = 0; c < width; c++, i++) {
      if (z[i] !== z[i]) {
        seen[i] = 1;
        continue;
      }
      let edge = r === 0 || c === 0 || r === height - 1 || c === width - 1;
      for (let k = 0; k < 8 && !edge; k++) {
        const value = z[(r + DR[k]!) * width + c + DC[k]!]!;
        if (value !== value) {
          edge = true;
        }
      }
      if (edge) {
        seen[i] = 1;
        heap.push(i);
      }
    }
  }
  while (heap.size > 0) {
    const i = heap.pop();
    const c = i % width;
    const r = (i - c) / width;
    const h = filled[i]!;
    order[count++] = i;
    // The lowest neighbour that is lower has left the heap before; where there is none the way of
    // the flood, set when it came, stays.
    let low = h;
    for (let k = 0; k < 8; k++) {
      const cc = c + DC[k]!;
      const rr = r + DR[k]!;
      if (cc < 0 || rr < 0 || cc >= width || rr >= height) {
        continue;
      }
      const j = rr * width + cc;
      if (!seen[j]) {
        seen[j] = 1;
        to[j] = i;
        if (filled[j]! < h) {
          filled[j] = h;
        }
        heap.push(j);
      } else if (filled[j]! < low) {
        low = filled[j]!;
        to[i] = j;
      }
    }
  }
  const through = new Float64Array(n).fill(1);
  for (let k = count - 1; k >= 0; k--) {
    const i = order[k]!;
    if (to[i]! >= 0) {
      through[to[i]!]! += through[i]!;
    }
  }
  out.fill(NaN);
  for (let k = 0; k < count; k++) {
    const i = order[k]!;
    const t = to[i]!;
    out[i] = through[i]! >= leastCells || t < 0 ? z[i]! : out[t]!;
  }
}
