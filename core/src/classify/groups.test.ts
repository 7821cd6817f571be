import { lcg } from "../testing/support";
import { isodata } from "./isodata";
import { assignGroups, kMeans, nearest } from "./kmeans";
import { randomFrom } from "./random";

/** Bell curves around middles, so many points each. */
function blobs(middles: number[][], each: number, spread: number, seed: number): Float64Array {
  const random = lcg(seed);
  const gauss = () => Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
  return Float64Array.from(
    middles.flatMap((middle) =>
      Array.from({ length: each }, () => middle.map((value) => value + spread * gauss())).flat(),
    ),
  );
}
const sorted = (c: Float64Array, delta: number) =>
  Array.from({ length: c.length / delta }, (_v, group) => [
    ...c.subarray(group * delta, group * delta + delta),
  ]).sort((a, b) => a[0]! - b[0]!);

describe("k-means", () => {
  test("groups that lie apart are found with their middles and members", () => {
    const middles = [
      [-6, 0],
      [0, 5],
      [6, -3],
    ];
    const groups = kMeans({ values: blobs(middles, 400, 0.5, 3), d: 2 }, 3, { seed: 1 });
    sorted(groups.centres, 2).forEach((c, k) =>
      c.forEach((value, b) => expect(Math.abs(value - middles[k]![b]!)).toBeLessThan(0.1)),
    );
    expect([...groups.counts]).toEqual([400, 400, 400]);
  });
  test("in one band no split is better: against every split of few numbers", () => {
    const random = lcg(11);
    const values = Float64Array.from({ length: 14 }, () => Math.round(100 * random()) / 10).sort();
    const cost = (a: number, b: number) => {
      const x = [...values.subarray(a, b)];
      const m = x.reduce((s, value) => s + value, 0) / x.length;
      return x.reduce((s, value) => s + (value - m) ** 2, 0);
    };
    let best = Infinity;
    for (let i = 1; i < 13; i++) {
      for (let j = i + 1; j < 14; j++) {
        best = Math.min(best, cost(0, i) + cost(i, j) + cost(j, 14));
      }
    }
    // The rounds end in a local minimum; of some starts one is the best.
    expect(
      Math.min(
        ...Array.from({ length: 12 }, (_v, seed) => kMeans({ values, d: 1 }, 3, { seed }).within),
      ),
    ).toBeCloseTo(best, 9);
  });
  test("whatever the seed, groups end near the best that any seed finds", () => {
    const middles = Array.from({ length: 9 }, (_v, k) => [4 * (k % 3), 4 * Math.floor(k / 3)]);
    const values = blobs(middles, 60, 0.6, 5);
    const within = Array.from(
      { length: 40 },
      (_v, seed) => kMeans({ values, d: 2 }, 9, { seed }).within,
    );
    expect(Math.max(...within) / Math.min(...within)).toBeLessThan(1.02);
    // Points of a blob about its own middle: 2 · 0.36 each, and nothing that two blobs share.
    expect(Math.min(...within) / (values.length / 2)).toBeCloseTo(0.72, 1);
  });
  test("the same seed gives the same groups, and an end at which nothing moves", () => {
    const values = blobs(
      [
        [0, 0, 0],
        [2, 2, 0],
        [0, 2, 2],
        [3, 0, 3],
      ],
      200,
      0.8,
      5,
    );
    const groups = kMeans({ values, d: 3 }, 5, { seed: 9 });
    const b = kMeans({ values, d: 3 }, 5, { seed: 9 });
    expect([...groups.centres]).toEqual([...b.centres]);
    const sums = new Float64Array(15);
    const counts = new Float64Array(5);
    for (let i = 0; i < 800; i++) {
      const group = nearest(values, i * 3, groups.centres, 3);
      counts[group]!++;
      for (let k = 0; k < 3; k++) {
        sums[group * 3 + k]! += values[i * 3 + k]!;
      }
    }
    groups.centres.forEach((centre, k) =>
      expect(centre).toBeCloseTo(sums[k]! / counts[Math.floor(k / 3)]!, 9),
    );
    expect([...counts]).toEqual([...groups.counts]);
  });
  test("more groups than different cells are refused", () => {
    expect(() => kMeans({ values: Float64Array.of(1, 1, 1, 2, 2), d: 1 }, 3, { seed: 1 })).toThrow(
      /only 2 different cells/,
    );
    expect(() => kMeans({ values: Float64Array.of(1, 2), d: 1 }, 3, { seed: 1 })).toThrow(
      /2 cells/,
    );
  });
  test("cells take the nearest group; nodata none", () => {
    const random = lcg(2);
    const bands = [0, 1, 2].map(() => Float32Array.from({ length: 5000 }, () => random() * 10));
    const centres = Float64Array.from({ length: 12 }, () => random() * 2 - 1);
    const shift = [5, 4, 6];
    const scale = [0.2, 0.3, 0.1];
    const out = new Uint8Array(5000);
    bands[1]![17] = NaN;
    assignGroups(bands, shift, scale, centres, out);
    expect(out[17]).toBe(255);
    for (let i = 0; i < 5000; i++) {
      if (i !== 17) {
        expect(out[i]).toBe(
          1 +
            nearest(
              bands.map((band, k) => (band[i]! - shift[k]!) * scale[k]!),
              0,
              centres,
              3,
            ),
        );
      }
    }
  });
});

describe("ISODATA", () => {
  const options = { seed: 4, leastShare: 0.01, splitSpread: 1, mergeDistance: 1.5 };
  test("from too few groups it splits until each heap has its own", () => {
    const middles = [
      [-8, 0],
      [-3, 6],
      [2, -6],
      [7, 3],
      [12, -2],
    ];
    const groups = isodata(
      { values: blobs(middles, 300, 0.5, 8), d: 2 },
      { ...options, groups: 3 },
    );
    expect(groups.counts.length).toBe(5);
    sorted(groups.centres, 2).forEach((c, k) =>
      c.forEach((value, b) => expect(Math.abs(value - middles[k]![b]!)).toBeLessThan(0.15)),
    );
  });
  test("from too many it merges what lies near", () => {
    const groups = isodata(
      {
        values: blobs(
          [
            [-5, 0],
            [5, 0],
          ],
          500,
          0.4,
          6,
        ),
        d: 2,
      },
      { ...options, groups: 6 },
    );
    expect([...groups.counts].sort()).toEqual([500, 500]);
  });
  test("a handful of outliers has no group of its own", () => {
    const values = Float64Array.from([
      ...blobs(
        [
          [0, 0],
          [6, 0],
        ],
        400,
        0.5,
        7,
      ),
      90,
      90,
      91,
      90,
    ]);
    const groups = isodata({ values, d: 2 }, { ...options, groups: 3, splitSpread: 50 });
    expect(groups.counts.reduce((s, value) => s + value, 0)).toBe(802);
    expect(Math.min(...groups.counts)).toBeGreaterThan(300);
  });
});
test("random numbers are even enough", () => {
  const r = randomFrom(3);
  const bins = new Array<number>(10).fill(0);
  for (let i = 0; i < 20_000; i++) {
    bins[Math.floor(r() * 10)]!++;
  }
  bins.forEach((n) => expect(Math.abs(n - 2000)).toBeLessThan(200));
});
