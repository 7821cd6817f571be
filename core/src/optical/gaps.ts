/**
 * Half widths of the windows in which a filling date is matched, 17 to 31 cells a side, and the
 * common cells that are enough. Source: Scaramuzza et al. 2004.
 */
export const GAP_HALVES = [8, 10, 12, 15] as const;
const ENOUGH = 144;
const FEW = 12;
const MOST_GAIN = 3;
/** Cells around a window that filling looks at. */
export const GAP_REACH = 15;

/** The four lines through a cell, as steps in columns and rows; each is walked both ways. */
const LINES = [
  [1, 0],
  [0, 1],
  [1, 1],
  [1, -1],
] as const;

/**
 * How far the next valid cell lies in each of eight directions, 0 where there is none within reach.
 * `valid` covers W x H cells.
 */
export function reachOut(
  valid: Uint8Array,
  width: number,
  height: number,
  most = GAP_REACH,
): Uint8Array[] {
  return LINES.flatMap(
    ([dc, dr]) =>
      [
        [dc, dr],
        [-dc, -dr],
      ] as const,
  ).map(([dc, dr]) => {
    const out = new Uint8Array(width * height);
    const down = dr > 0 || (dr === 0 && dc > 0);
    for (let k = 0; k < width * height; k++) {
      // Walk against the direction, so that the cell looked at has been done before.
      const i = down ? width * height - 1 - k : k;
      const c = i % width;
      const r = (i - c) / width;
      const cc = c + dc;
      const rr = r + dr;
      if (cc < 0 || rr < 0 || cc >= width || rr >= height) {
        continue;
      }
      const j = rr * width + cc;
      let far: number;
      if (valid[j]) {
        far = 1;
      } else if (out[j]! > 0) {
        far = out[j]! + 1;
      } else {
        far = 0;
      }
      out[i] = far <= most ? far : 0;
    }
    return out;
  });
}

/**
 * Whether valid cells lie on both sides of a cell on one of the four lines: it is a gap and not the
 * outside of the frame.
 */
export const enclosed = (far: readonly Uint8Array[], i: number): boolean => {
  for (let k = 0; k < 8; k += 2) {
    if (far[k]![i] && far[k + 1]![i]) {
      return true;
    }
  }
  return false;
};

/**
 * Fills gaps from their own surroundings: on each of four lines the value between the nearest valid
 * cells of both sides; lines that are short, and
 * whose ends are alike (they run along an edge and not across it), weigh most.
 * @param bands light bands, W x H cells; @param gaps 1 = to be filled; @param far from `reachOut`;
 * @param out of the bands' size, written at filled cells
 * @param filled set to 1 where a value was found
 */
export function fillFromNeighbours(
  bands: readonly Float32Array[],
  gaps: Uint8Array,
  far: readonly Uint8Array[],
  width: number,
  out: readonly Float32Array[],
  filled: Uint8Array,
): void {
  const sum = new Float64Array(bands.length);
  for (let i = 0; i < gaps.length; i++) {
    if (!gaps[i]) {
      continue;
    }
    let weight = 0;
    sum.fill(0);
    for (const [k, [dc, dr]] of LINES.entries()) {
      const first = far[2 * k]![i]!;
      const second = far[2 * k + 1]![i]!;
      if (!first || !second) {
        continue;
      }
      const step = dr * width + dc;
      const a = i + first * step;
      const b = i - second * step;
      const long = (first + second) * Math.hypot(dc, dr);
      let apart = 0;
      let level = 0;
      for (const band of bands) {
        apart += Math.abs(band[a]! - band[b]!);
        level += Math.abs(band[a]!) + Math.abs(band[b]!);
      }
      const w = 1 / (long * (0.03 + apart / (level || 1))) ** 2;
      weight += w;
      bands.forEach((band, n) => {
        sum[n]! += (w * (band[a]! * second + band[b]! * first)) / (first + second);
      });
    }
    if (weight > 0) {
      bands.forEach((_v, n) => {
        out[n]![i] = sum[n]! / weight;
      });
      filled[i] = 1;
    }
  }
}

/** Sums over all cells above and left of a corner: (W + 1) x (H + 1). */
function table(width: number, height: number, at: (i: number) => number): Float64Array {
  const s = new Float64Array((width + 1) * (height + 1));
  for (let r = 0; r < height; r++) {
    let row = 0;
    for (let c = 0; c < width; c++) {
      row += at(r * width + c);
      s[(r + 1) * (width + 1) + c + 1] = s[r * (width + 1) + c + 1]! + row;
    }
  }
  return s;
}

/**
 * Fills gaps of a band from another date by a local linear match (Scaramuzza et al. 2004): mean and
 * spread of the cells that both dates have, in windows
 * that grow from 17 to 31 cells until 144 of them are found. Fewer than that, or a gain beyond 3,
 * shift the level only; fewer than 12 leave the gap.
 * @param target, filler W x H cells, NaN = none; @param gaps 1 = to be filled; @param out written
 * at filled cells; @param filled set to 1 there
 */
export function fillFromDate(
  target: Float32Array,
  filler: Float32Array,
  gaps: Uint8Array,
  width: number,
  height: number,
  out: Float32Array,
  filled: Uint8Array,
): void {
  let mid = 0;
  let cells = 0;
  for (const value of target) {
    if (value === value) {
      mid += value;
      cells++;
    }
  }
  mid = cells ? mid / cells : 0;
  const both = (i: number) => target[i]! - target[i]! === 0 && filler[i]! - filler[i]! === 0;
  const n = table(width, height, (i) => (both(i) ? 1 : 0));
  const of = (term: (t: number, s: number) => number) =>
    table(width, height, (i) => (both(i) ? term(target[i]! - mid, filler[i]! - mid) : 0));
  const t = of((x) => x);
  const s = of((_x, y) => y);
  const tt = of((x) => x * x);
  const ss = of((_x, y) => y * y);
  for (let i = 0; i < gaps.length; i++) {
    if (!gaps[i] || filler[i] !== filler[i]) {
      continue;
    }
    const c = i % width;
    const r = (i - c) / width;
    for (const half of GAP_HALVES) {
      const c0 = Math.max(0, c - half);
      const c1 = Math.min(width, c + half + 1);
      const r0 = Math.max(0, r - half);
      const r1 = Math.min(height, r + half + 1);
      const sum = (a: Float64Array) =>
        a[r1 * (width + 1) + c1]! -
        a[r0 * (width + 1) + c1]! -
        a[r1 * (width + 1) + c0]! +
        a[r0 * (width + 1) + c0]!;
      const count = sum(n);
      const last = half === GAP_HALVES.at(-1);
      if (count < ENOUGH && !(last && count >= FEW)) {
        continue;
      }
      const mt = sum(t) / count;
      const ms = sum(s) / count;
      const vt = Math.max(0, sum(tt) / count - mt * mt);
      const vs = Math.max(0, sum(ss) / count - ms * ms);
      const group = vs > 0 ? Math.sqrt(vt / vs) : 1;
      const gain = count >= ENOUGH && group < MOST_GAIN && group > 1 / MOST_GAIN ? group : 1;
      out[i] = mid + mt + gain * (filler[i]! - mid - ms);
      filled[i] = 1;
      break;
    }
  }
}
