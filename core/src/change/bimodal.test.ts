import { lcg } from "../testing/support";
import { emptyHistogram, addToHistogram } from "../raster/histogram";
import { suggestions } from "./defaults";
import { otsu } from "./otsu";
import { type Tiles, addTiles, ashmanD, tileThreshold } from "./bimodal";

const gauss = (u: () => number) => Math.sqrt(-2 * Math.log(1 - u())) * Math.cos(2 * Math.PI * u());

test("Ashman's D by hand: means 4 apart, spreads 1 and 1 give 4", () => {
  const h = emptyHistogram(-8, 8, 1600);
  const u = lcg(3);
  addToHistogram(
    h,
    Float32Array.from({ length: 200_000 }, (_v, i) => gauss(u) * 1 + (i % 4 ? 2 : -2)),
  );
  const { d, share } = ashmanD(h, 0);
  // The tails that lie on the other side bring the means a little apart and the spreads a little
  // together.
  expect(d).toBeGreaterThan(3.9);
  expect(d).toBeLessThan(4.5);
  expect(share).toBeCloseTo(0.25, 1);
});

describe("a flood of a few hundredths of the scene", () => {
  const W = 512;
  const H = 512;
  const u = lcg(5);
  const wet = (c: number, r: number) => c > 300 && c < 380 && r > 200 && r < 300;
  const cells = Float32Array.from(
    { length: W * H },
    (_v, i) => (wet(i % W, Math.floor(i / W)) ? -19 : -9) + 1.4 * gauss(u),
  );
  test("is found by tiles where the histogram of the whole has one heap", () => {
    const tiles: Tiles = [];
    addTiles(cells, W, H, [-40, 10], tiles);
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
    const noise = Float32Array.from({ length: W * H }, () => -9 + 1.4 * gauss(u));
    noise.fill(NaN, 0, W * 64);
    addTiles(noise, W, H, [-40, 10], even);
    expect(even).toHaveLength(56);
    expect(tileThreshold(even)).toBeNull();
  });
});
test("how far out: standard deviations and shares are those that are asked for", () => {
  const h = emptyHistogram(-10, 10, 2000);
  const u = lcg(8);
  addToHistogram(
    h,
    Float32Array.from({ length: 100_000 }, () => gauss(u)),
  );
  const of = (far?: { sigmas: number; percent: number }) =>
    Object.fromEntries(suggestions(h, far).map((x) => [x.method, x])) as Record<
      string,
      { name: string; value: number; upper: number }
    >;
  expect([of().twoSigma!.value, of({ sigmas: 3, percent: 1 }).twoSigma!.upper]).toEqual([-2, 3]);
  // A bell curve has 5 % beyond 1.645 and 1 % beyond 2.326; suggestions are given in tenths here.
  expect(Math.abs(of().percentile!.value + 1.645)).toBeLessThan(0.07);
  expect(Math.abs(of({ sigmas: 3, percent: 1 }).percentile!.upper - 2.326)).toBeLessThan(0.1);
  expect([
    of({ sigmas: 2.5, percent: 1 }).twoSigma!.name,
    of({ sigmas: 2.5, percent: 1 }).percentile!.name,
  ]).toEqual(["2.5 σ", "1 %"]);
});
