import { InputError } from "../errors";
import { Workspace } from "../wasm/kernels";
import { randomFrom } from "./random";

/** Points one after the other, d values each. */
export interface Points {
  values: Float64Array;
  d: number;
}
/**
 * Groups of points: middle by group and band, members, and the sum of squared distances to the own
 * middle.
 */
export interface Groups {
  centres: Float64Array;
  counts: Float64Array;
  rounds: number;
  within: number;
}

/** Index of the nearest centre of a point that begins at `at`. */
export function nearest(
  values: ArrayLike<number>,
  at: number,
  centres: Float64Array,
  bandCount: number,
): number {
  let best = 0;
  let least = Infinity;
  for (let group = 0, offset = 0; offset < centres.length; group++, offset += bandCount) {
    let s = 0;
    for (let k = 0; k < bandCount; k++) {
      const x = values[at + k]! - centres[offset + k]!;
      s += x * x;
    }
    if (s < least) {
      least = s;
      best = group;
    }
  }
  return best;
}

/** How groups are begun, and how often they are gone through. */
export interface KMeansOptions {
  seed: number;
  rounds?: number;
  start?: Float64Array;
  /** One plain k-means++ start: for who moves, splits and merges groups afterwards. */
  isPlain?: boolean;
}

/** Starts of which the best is kept; where one is given there is no other. */
const STARTS = 4;

/**
 * Groups points by k-means (Lloyd 1982) from several greedy k-means++ starts (Arthur &
 * Vassilvitskii 2007), of which the one with the least sum of squares is kept: a single start often
 * ends far from it. The same seed gives the same groups. A group that loses all its points takes
 * the point that lies farthest from its own middle.
 * @throws InputError for fewer different points than groups
 */
export function kMeans(points: Points, k: number, options: KMeansOptions): Groups {
  if (options.start || options.isPlain) {
    return kMeansFrom(points, k, options);
  }
  let best = kMeansFrom(points, k, options);
  for (let start = 1; start < STARTS; start++) {
    const next = kMeansFrom(points, k, { ...options, seed: options.seed + start * SEED_STEP });
    best = next.within < best.within ? next : best;
  }
  return best;
}
/** Between the seeds of starts: far from those that people type. */
const SEED_STEP = 7919;

function kMeansFrom(points: Points, k: number, options: KMeansOptions): Groups {
  const { values, d: bandCount } = points;
  const n = values.length / bandCount;
  const most = options.rounds ?? 100;
  if (n < k) {
    throw new InputError(
      `${n} cells cannot be put into ${k} groups`,
      "groups",
      "Ask for fewer groups.",
    );
  }
  let centres = options.start
    ? Float64Array.from(options.start)
    : plusPlus(points, k, randomFrom(options.seed), options.isPlain ? 1 : triesFor(k));
  let counts = new Float64Array(k);
  let within = 0;
  let rounds = 0;
  const of = new Int32Array(n).fill(-1);
  for (; rounds < most;) {
    rounds++;
    const sums = new Float64Array(k * bandCount);
    const far = { d: -1, i: 0 };
    let moved = 0;
    counts = new Float64Array(k);
    within = 0;
    for (let i = 0; i < n; i++) {
      const group = nearest(values, i * bandCount, centres, bandCount);
      if (of[i] !== group) {
        of[i] = group;
        moved++;
      }
      counts[group]!++;
      let s = 0;
      for (let b = 0; b < bandCount; b++) {
        const value = values[i * bandCount + b]!;
        const x = value - centres[group * bandCount + b]!;
        sums[group * bandCount + b]! += value;
        s += x * x;
      }
      within += s;
      if (s > far.d) {
        far.d = s;
        far.i = i;
      }
    }
    if (moved === 0) {
      break;
    }
    const next = new Float64Array(k * bandCount);
    for (let group = 0; group < k; group++) {
      for (let b = 0; b < bandCount; b++) {
        next[group * bandCount + b] =
          counts[group]! > 0
            ? sums[group * bandCount + b]! / counts[group]!
            : values[far.i * bandCount + b]!;
      }
    }
    centres = next;
  }
  return { centres, counts, rounds, within };
}

/**
 * First middles: each point is picked with a probability that grows with its squared distance to
 * those already there; of several so picked the one that leaves the least sum (greedy k-means++).
 */
function plusPlus(points: Points, k: number, random: () => number, tries: number): Float64Array {
  const { values, d: bandCount } = points;
  const n = values.length / bandCount;
  const centres = new Float64Array(k * bandCount);
  let far = new Float64Array(n).fill(Infinity);
  let total = Infinity;
  for (let group = 0; group < k; group++) {
    if (!(total > 0)) {
      throw new InputError(
        `There are only ${group} different cells, fewer than ${k} groups`,
        "groups",
        "Ask for fewer groups.",
      );
    }
    let best: Picked | null = null;
    for (let round = 0; round < (group === 0 ? 1 : tries); round++) {
      const at = group === 0 ? Math.floor(random() * n) : drawn(far, random() * total);
      const next = withPoint(points, far, at);
      best = best && best.total <= next.total ? best : next;
    }
    centres.set(
      values.subarray(best!.at * bandCount, (best!.at + 1) * bandCount),
      group * bandCount,
    );
    far = best!.far;
    total = best!.total;
  }
  return centres;
}

/** Points of which the next middle is picked. */
const triesFor = (k: number): number => 2 + Math.floor(Math.log(k));

/** A point that was picked, and how far every point then lies from the nearest that is. */
interface Picked {
  at: number;
  far: Float64Array<ArrayBuffer>;
  total: number;
}

function withPoint({ values, d: bandCount }: Points, far: Float64Array, at: number): Picked {
  const next = Float64Array.from(far);
  let total = 0;
  for (let i = 0; i < next.length; i++) {
    let s = 0;
    for (let b = 0; b < bandCount; b++) {
      const x = values[i * bandCount + b]! - values[at * bandCount + b]!;
      s += x * x;
    }
    if (s < next[i]!) {
      next[i] = s;
    }
    total += next[i]!;
  }
  return { at, far: next, total };
}

/** Place at which a sum of distances is reached. */
function drawn(far: Float64Array, sum: number): number {
  let left = sum;
  let at = 0;
  while (at < far.length - 1 && (left -= far[at]!) > 0) {
    at++;
  }
  return at;
}

/** Cells that are given to groups at a time: their bands stay in the processor's cache. */
const CHUNK = 1 << 12;
/**
 * Number of the nearest group of each cell, counted from 1; 255 where a band is nodata. Distances
 * are in single precision: of two middles that are as near to 1e-6 either may be taken.
 * @param bands by band, cells in one order; @param shift, scale by band: a band is compared as
 * (value − shift)·scale, as its centres are
 * @param centres by group and band, at most 254 groups
 */
export function assignGroups(
  bands: readonly Float32Array[],
  shift: ArrayLike<number>,
  scale: ArrayLike<number>,
  centres: Float64Array,
  out: Uint8Array,
): void {
  const workspace = Workspace.begin();
  const bandCount = bands.length;
  const k = centres.length / bandCount;
  const n = out.length;
  const size = Math.min(n, CHUNK);
  const table = workspace.take(bandCount * 4);
  const middles = workspace.take(k * bandCount * 4);
  const weights = workspace.take(bandCount * 4);
  const to = workspace.take(size);
  const at = bands.map(() => workspace.take(size * 4));
  workspace.u32(table, bandCount).set(at);
  workspace
    .f32(middles, k * bandCount)
    .set(Float32Array.from(centres, (c, i) => shift[i % bandCount]! + c / scale[i % bandCount]!));
  workspace
    .f32(weights, bandCount)
    .set(Float32Array.from({ length: bandCount }, (_v, b) => scale[b]! ** 2));
  for (let i = 0; i < n; i += size) {
    const m = Math.min(size, n - i);
    bands.forEach((band, j) => workspace.f32(at[j]!, m).set(band.subarray(i, i + m)));
    workspace.kernels.nearestGroups(table, bandCount, middles, k, weights, to, m);
    out.set(workspace.u8(to, m), i);
  }
}
