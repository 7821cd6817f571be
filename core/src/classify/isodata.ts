import { InputError } from "../errors";
import { type Groups, type Points, kMeans, nearest } from "./kmeans";

/** How ISODATA splits and merges. Distances and spreads are in the unit of the points. */
export interface IsodataOptions {
  /** Number of groups that is aimed at: never more than twice as many. */
  groups: number;
  seed: number;
  rounds?: number;
  /** Smaller groups are given up: share of all points. */
  leastShare: number;
  /** A group that spreads farther than this in one band is split. */
  splitSpread: number;
  /** Groups whose middles lie nearer than this are merged. */
  mergeDistance: number;
}

/** Pairs that are merged in one round, at the most. */
const MERGES = 2;

/**
 * Groups points by ISODATA (Ball & Hall 1965): rounds of assigning and averaging in which small
 * groups are given up, wide ones split along their widest
 * band, and near ones merged. Split rounds and merge rounds take turns; there are no splits once
 * there are twice as many groups as asked for. The same seed gives the
 * same groups.
 * @throws InputError when there are too few points
 */
export function isodata(points: Points, isodataOptions: IsodataOptions): Groups {
  const { values, d: bandCount } = points;
  const n = values.length / bandCount;
  const most = isodataOptions.rounds ?? 30;
  const least = Math.max(2, Math.round(isodataOptions.leastShare * n));
  if (n < 2 * isodataOptions.groups) {
    throw new InputError(
      `${n} cells cannot be put into ${isodataOptions.groups} groups`,
      "groups",
      "Ask for fewer groups.",
    );
  }
  let centres = kMeans(points, Math.min(isodataOptions.groups, n), {
    isPlain: true,
    seed: isodataOptions.seed,
    rounds: 1,
  }).centres;
  let rounds = 0;
  let still = false;
  while (rounds < most && !still) {
    rounds++;
    let s = spreads(points, centres);
    const keep = s.counts
      .map((c, group) => (c >= least ? group : -1))
      .filter((group) => group >= 0);
    if (keep.length === 0) {
      throw new InputError(
        "Every group is smaller than the smallest that is kept",
        "leastShare",
        "Allow smaller groups.",
      );
    }
    if (keep.length < s.k) {
      centres = pick(centres, keep, bandCount);
      s = spreads(points, centres);
    }
    const before = centres;
    const k = s.k;
    centres = s.means;
    const few = k <= isodataOptions.groups / 2;
    let split = false;
    if ((rounds % 2 === 1 || few) && k < 2 * isodataOptions.groups && rounds < most) {
      const overall = s.distance.reduce((t, value, group) => t + value * s.counts[group]!, 0) / n;
      const next: number[] = [];
      for (let group = 0; group < k; group++) {
        let wide = 0;
        for (let b = 1; b < bandCount; b++) {
          if (s.deviation[group * bandCount + b]! > s.deviation[group * bandCount + wide]!) {
            wide = b;
          }
        }
        const own = [...centres.subarray(group * bandCount, group * bandCount + bandCount)];
        const spread = s.deviation[group * bandCount + wide]!;
        if (
          spread > isodataOptions.splitSpread &&
          (few || (s.distance[group]! > overall && s.counts[group]! > 2 * (least + 1))) &&
          next.length / bandCount + (k - group) < 2 * isodataOptions.groups
        ) {
          const up = [...own];
          const down = [...own];
          up[wide]! += spread;
          down[wide]! -= spread;
          next.push(...up, ...down);
          split = true;
        } else {
          next.push(...own);
        }
      }
      centres = Float64Array.from(next);
    }
    if (!split && rounds % 2 === 0) {
      const near: { a: number; b: number; at: number }[] = [];
      for (let a = 0; a < k; a++) {
        for (let b = a + 1; b < k; b++) {
          let t = 0;
          for (let j = 0; j < bandCount; j++) {
            t += (centres[a * bandCount + j]! - centres[b * bandCount + j]!) ** 2;
          }
          if (Math.sqrt(t) < isodataOptions.mergeDistance) {
            near.push({ a, b, at: t });
          }
        }
      }
      const used = new Set<number>();
      const made: number[] = [];
      for (const { a, b } of near.sort((x, y) => x.at - y.at)) {
        if (used.has(a) || used.has(b) || used.size >= 2 * MERGES) {
          continue;
        }
        used.add(a);
        used.add(b);
        const na = s.counts[a]!;
        const nb = s.counts[b]!;
        for (let j = 0; j < bandCount; j++) {
          made.push(
            (na * centres[a * bandCount + j]! + nb * centres[b * bandCount + j]!) / (na + nb),
          );
        }
      }
      if (used.size) {
        centres = Float64Array.from([
          ...pick(
            centres,
            [...Array(k).keys()].filter((group) => !used.has(group)),
            bandCount,
          ),
          ...made,
        ]);
      }
    }
    still =
      rounds % 2 === 0 &&
      centres.length === before.length &&
      centres.every((centre, i) => Math.abs(centre - before[i]!) < 1e-6);
  }
  const s = spreads(points, centres);
  const keep = s.counts.map((c, group) => (c > 0 ? group : -1)).filter((group) => group >= 0);
  return {
    centres: pick(s.means, keep, bandCount),
    counts: Float64Array.from(keep.map((group) => s.counts[group]!)),
    rounds,
    within: s.within,
  };
}

const pick = (centres: Float64Array, groups: readonly number[], bandCount: number): Float64Array =>
  Float64Array.from(
    groups.flatMap((group) => [
      ...centres.subarray(group * bandCount, group * bandCount + bandCount),
    ]),
  );

/** By group: members, mean and deviation by band, mean distance to its middle. */
function spreads({ values, d: bandCount }: Points, centres: Float64Array) {
  const n = values.length / bandCount;
  const k = centres.length / bandCount;
  const counts = new Array<number>(k).fill(0);
  const means = new Float64Array(k * bandCount);
  const squares = new Float64Array(k * bandCount);
  const distance = new Array<number>(k).fill(0);
  let within = 0;
  for (let i = 0; i < n; i++) {
    const group = nearest(values, i * bandCount, centres, bandCount);
    let t = 0;
    counts[group]!++;
    for (let b = 0; b < bandCount; b++) {
      const value = values[i * bandCount + b]!;
      const x = value - centres[group * bandCount + b]!;
      means[group * bandCount + b]! += value;
      squares[group * bandCount + b]! += x * x;
      t += x * x;
    }
    distance[group]! += Math.sqrt(t);
    within += t;
  }
  const deviation = new Float64Array(k * bandCount);
  for (let group = 0; group < k; group++) {
    const c = counts[group]!;
    distance[group] = c ? distance[group]! / c : 0;
    for (let b = 0; b < bandCount; b++) {
      const j = group * bandCount + b;
      const m = c ? means[j]! / c : centres[j]!;
      deviation[j] = c ? Math.sqrt(Math.max(0, squares[j]! / c - (m - centres[j]!) ** 2)) : 0;
      means[j] = m;
    }
  }
  return { k, counts, means, deviation, distance, within };
}
