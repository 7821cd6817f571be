import { lcg } from "../testing/support";
import { emptyHistogram, addToHistogram } from "../raster/histogram";

import { otsu } from "./otsu";
import { type Tiles, addTiles, ashmanD, tileThreshold } from "./bimodal";
import { suggestions } from "./suggestions";

const gauss = (random: () => number) =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());

test("Ashman's D by hand: means 4 apart, spreads 1 and 1 give 4", () => {
  const histogram = emptyHistogram(-8, 8, 1600);
  const random = lcg(3);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 200_000 }, (_v, i) => gauss(random) * 1 + (i % 4 ? 2 : -2)),
  );
  const { d: ashman, share } = ashmanD(histogram, 0);
  // The tails that lie on the other side bring the means a little apart and the spreads a little
  // together.
  expect(ashman).toBeGreaterThan(3.9);
  expect(ashman).toBeLessThan(4.5);
  expect(share).toBeCloseTo(0.25, 1);
});

describe("a flood of a few hundredths of the scene", () => {
  const width = 512;
  const height = 512;
  const random = lcg(5);
  const wet = (c: number, r: number) => c > 300 && c < 380 && r > 200 && r < 300;
  const cells = Float32Array.from(
    { length: width * height },
    (_v, i) => (wet(i % width, Math.floor(i / width)) ? -19 : -9) + 1.4 * gauss(random),
  );
  test("is found by tiles where the histogram of the whole has one heap", () => {
    const tiles: Tiles = [];
    addTiles(cells, width, height, [-40, 10], tiles);
    expect(tiles).toHaveLength(64);
    const t = tileThreshold(tiles)!;
    const whole = emptyHistogram(-40, 10, 500);
    addToHistogram(whole, cells);
    // Equal spreads: the best threshold lies near the middle of both heaps.
    expect(Math.abs(t.value + 14)).toBeLessThan(1);
    expect(t.found).toBeGreaterThanOrEqual(2);
    expect(Math.abs(otsu(whole) + 14)).toBeLessThan(3);
  });
  test("a scene without any has no such threshold, and unseen tiles are not looked at", () => {
    const even: Tiles = [];
    const noise = Float32Array.from({ length: width * height }, () => -9 + 1.4 * gauss(random));
    noise.fill(NaN, 0, width * 64);
    addTiles(noise, width, height, [-40, 10], even);
    expect(even).toHaveLength(56);
    expect(tileThreshold(even)).toBeNull();
  });
});
test("how far out: standard deviations and shares are those that are asked for", () => {
  const histogram = emptyHistogram(-10, 10, 2000);
  const random = lcg(8);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 100_000 }, () => gauss(random)),
  );
  const of = (far?: { sigmas: number; percent: number }) =>
    Object.fromEntries(
      suggestions(histogram, far).map((suggestion) => [suggestion.method, suggestion]),
    ) as Record<string, { name: string; value: number; upper: number }>;
  // A change under three times the spread is noise: that is where they begin.
  expect(Math.abs(of().twoSigma!.value + 3)).toBeLessThan(0.03);
  expect(Math.abs(of({ sigmas: 2, percent: 1 }).twoSigma!.upper - 2)).toBeLessThan(0.03);
  // A bell curve has 5 % beyond 1.645 and 1 % beyond 2.326; suggestions are given in hundredths here.
  expect(Math.abs(of().percentile!.value + 1.645)).toBeLessThan(0.07);
  expect(Math.abs(of({ sigmas: 3, percent: 1 }).percentile!.upper - 2.326)).toBeLessThan(0.1);
  expect([
    of({ sigmas: 2.5, percent: 1 }).twoSigma!.name,
    of({ sigmas: 2.5, percent: 1 }).percentile!.name,
  ]).toEqual(["2.5 σ", "1 %"]);
});

test("three deviations are those of what did not change, however much did", () => {
  const histogram = emptyHistogram(-25, 10, 3500);
  const random = lcg(10);
  const bell = Float32Array.from({ length: 80_000 }, () => gauss(random));
  addToHistogram(histogram, bell);
  const found = () => suggestions(histogram).find(({ method }) => method === "twoSigma")!;
  const alone = found().value;
  addToHistogram(
    histogram,
    Float32Array.from({ length: 20_000 }, () => -12 + 1.5 * gauss(random)),
  );
  // By tables of the normal curve: of 80 % within 0.319 below the middle lies the median, and half
  // of all within 0.933 of it: 3 x 1.4826 x 0.933 below −0.319. Mean and deviation would say −17.2.
  expect(Math.abs(alone + 3)).toBeLessThan(0.04);
  expect(Math.abs(found().value + 4.47)).toBeLessThan(0.04);
});

test("a threshold is rounded by less than a step of its histogram, however small its range", () => {
  const histogram = emptyHistogram(0, 0.02, 500);
  const random = lcg(9);
  addToHistogram(
    histogram,
    Float32Array.from(
      { length: 60_000 },
      (_v, i) => 0.004 + (i % 3 ? 0.008 : 0) + 0.001 * gauss(random),
    ),
  );
  const values = Object.fromEntries(
    suggestions(histogram).map(({ method, value }) => [method, value]),
  );
  expect(Math.abs(values.otsu! - otsu(histogram))).toBeLessThan(0.02 / 500);
  expect(values.otsu).toBeGreaterThan(0.006);
  expect(values.otsu).toBeLessThan(0.01);
  expect(values.twoSigma).not.toBe(0);
});
