import { InputError } from '../errors';
import { randomFrom } from './random';

/** Points one after the other, d values each. */
export interface Points { values: Float64Array; d: number }
/** Groups of points: middle by group and band, members, and the sum of squared distances to the own middle. */
export interface Groups { centres: Float64Array; counts: Float64Array; rounds: number; within: number }

/** Index of the nearest centre of a point that begins at `at`. */
export function nearest(values: ArrayLike<number>, at: number, centres: Float64Array, d: number): number {
  let best = 0, least = Infinity;
  for (let g = 0, o = 0; o < centres.length; g++, o += d) { let s = 0; for (let k = 0; k < d; k++) { const x = values[at + k]! - centres[o + k]!; s += x * x; } if (s < least) { least = s; best = g; } }
  return best;
}

/**
 * Groups points by k-means (Lloyd 1982) from a k-means++ start (Arthur & Vassilvitskii 2007). The same seed gives the same groups. A group that loses all
 * its points takes the point that lies farthest from its own middle.
 * @throws InputError for fewer different points than groups
 */
export function kMeans(p: Points, k: number, o: { seed: number; rounds?: number; start?: Float64Array }): Groups {
  const { values, d } = p, n = values.length / d, most = o.rounds ?? 100;
  if (n < k) throw new InputError(`${n} cells cannot be put into ${k} groups`, 'groups', 'Ask for fewer groups.');
  let centres = o.start ? Float64Array.from(o.start) : plusPlus(p, k, randomFrom(o.seed)), counts = new Float64Array(k), within = 0, rounds = 0;
  const of = new Int32Array(n).fill(-1);
  for (; rounds < most;) {
    rounds++;
    const sums = new Float64Array(k * d), far = { d: -1, i: 0 };
    let moved = 0;
    counts = new Float64Array(k); within = 0;
    for (let i = 0; i < n; i++) {
      const g = nearest(values, i * d, centres, d);
      if (of[i] !== g) { of[i] = g; moved++; }
      counts[g]!++;
      let s = 0;
      for (let b = 0; b < d; b++) { const v = values[i * d + b]!, x = v - centres[g * d + b]!; sums[g * d + b]! += v; s += x * x; }
      within += s;
      if (s > far.d) { far.d = s; far.i = i; }
    }
    if (moved === 0) break;
    const next = new Float64Array(k * d);
    for (let g = 0; g < k; g++) for (let b = 0; b < d; b++) next[g * d + b] = counts[g]! > 0 ? sums[g * d + b]! / counts[g]! : values[far.i * d + b]!;
    centres = next;
  }
  return { centres, counts, rounds, within };
}

/** First middles: each point is picked with a probability that grows with its squared distance to those already there. */
function plusPlus({ values, d }: Points, k: number, random: () => number): Float64Array {
  const n = values.length / d, centres = new Float64Array(k * d), far = new Float64Array(n).fill(Infinity);
  let at = Math.floor(random() * n);
  for (let g = 0; g < k; g++) {
    centres.set(values.subarray(at * d, at * d + d), g * d);
    let total = 0;
    for (let i = 0; i < n; i++) { let s = 0; for (let b = 0; b < d; b++) { const x = values[i * d + b]! - centres[g * d + b]!; s += x * x; } if (s < far[i]!) far[i] = s; total += far[i]!; }
    if (g + 1 === k) break;
    if (!(total > 0)) throw new InputError(`There are only ${g + 1} different cells, fewer than ${k} groups`, 'groups', 'Ask for fewer groups.');
    let left = random() * total;
    for (at = 0; at < n - 1 && (left -= far[at]!) > 0; at++);
  }
  return centres;
}

/**
 * Number of the nearest group of each cell, counted from 1; 255 where a band is nodata.
 * @param bands by band, cells in one order; @param shift, scale by band: a band is compared as (value − shift)·scale, as its centres are
 * @param centres by group and band, at most 254 groups
 */
export function assignGroups(bands: readonly Float32Array[], shift: ArrayLike<number>, scale: ArrayLike<number>, centres: Float64Array, out: Uint8Array): void {
  const d = bands.length, k = centres.length / d, n = out.length, part = Math.min(n, 2048), least = new Float64Array(part), sum = new Float64Array(part), x = bands.map(() => new Float64Array(part)), best = new Uint8Array(part);
  for (let from = 0; from < n; from += part) {
    const m = Math.min(part, n - from);
    for (let b = 0; b < d; b++) { const src = bands[b]!, to = x[b]!, off = shift[b]!, by = scale[b]!; for (let i = 0; i < m; i++) to[i] = (src[from + i]! - off) * by; }
    least.fill(Infinity); best.fill(255);
    for (let g = 0; g < k; g++) {
      sum.fill(0);
      for (let b = 0; b < d; b++) { const v = x[b]!, c = centres[g * d + b]!; for (let i = 0; i < m; i++) { const e = v[i]! - c; sum[i]! += e * e; } }
      for (let i = 0; i < m; i++) if (sum[i]! < least[i]!) { least[i] = sum[i]!; best[i] = g + 1; }
    }
    out.set(m === part ? best : best.subarray(0, m), from);
  }
}
