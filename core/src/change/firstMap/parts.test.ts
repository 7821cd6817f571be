import { addToHistogram, emptyHistogram } from "../../raster/histogram";
import { lcg } from "../../testing/support";
import { around } from "./around";
import { bodiesOf } from "./bodies";
import { HalvedHistogram, heapsAt, isBetweenHeaps } from "./heaps";
import { changeHistogram, unchangedOf } from "./unchanged";

const normal = (random: () => number) =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
const heap = (n: number, middle: number, deviation: number, seed: number) => {
  const random = lcg(seed);
  return Float32Array.from({ length: n }, () => middle + deviation * normal(random));
};

describe("unchanged ground", () => {
  test("is the peak nearest to nought, however much of the scene changed", () => {
    const histogram = changeHistogram();
    addToHistogram(histogram, heap(20_000, 0.4, 0.8, 1));
    addToHistogram(histogram, heap(60_000, -10, 1.5, 2));
    const { middle, deviation } = unchangedOf(histogram);
    expect(Math.abs(middle - 0.4)).toBeLessThan(0.25);
    expect(Math.abs(deviation - 0.8)).toBeLessThan(0.12);
  });
  test("is at nought where nothing was counted", () => {
    expect(unchangedOf(changeHistogram())).toEqual({ middle: 0, deviation: 1 });
  });
});

describe("heaps", () => {
  test("two bells of one decibel, ten apart: D is ten, the valley empty, halves agree", () => {
    const counted = new HalvedHistogram(-30, 30, 240);
    const side = 256;
    const cells = heap(side * side, 0, 1, 3).map((value, i) =>
      i % side < 64 ? value - 10 : value,
    );
    counted.add(cells, side);
    const heaps = heapsAt(counted.whole, -5, 0.5, counted.halves);
    expect(heaps.d).toBeGreaterThan(9.5);
    expect(heaps.d).toBeLessThan(10.5);
    expect(heaps.valley).toBeGreaterThan(0.98);
    expect(heaps.share).toBeCloseTo(0.25, 2);
    expect(heaps.halves).toBeLessThan(1);
    expect(heaps.swing).toBeLessThan(0.01);
    expect(isBetweenHeaps(heaps)).toBe(true);
  });
  test("one bell cut in two is not two heaps, though D alone would say so", () => {
    const histogram = emptyHistogram(-30, 30, 240);
    addToHistogram(histogram, heap(100_000, 0, 2, 4));
    const heaps = heapsAt(histogram, 0, 0.5);
    // Halves of a bell: means √(2/π)·σ to either side, spreads σ·√(1 − 2/π).
    expect(heaps.d).toBeCloseTo((2 * Math.sqrt(2 / Math.PI)) / Math.sqrt(1 - 2 / Math.PI), 1);
    expect(heaps.valley).toBeLessThan(0.1);
    expect(isBetweenHeaps(heaps)).toBe(false);
  });
});

test("around: cells within reach of any of some, rows and columns apart", () => {
  const size = { width: 12, height: 9 };
  const at = [Uint32Array.of(0, 40), Uint32Array.of(107)];
  const marks = around(at, size, 2);
  const all = at.flatMap((some) => [...some]);
  marks.forEach((mark, i) => {
    const isNear = all.some(
      (k) =>
        Math.abs((k % 12) - (i % 12)) <= 2 &&
        Math.abs(Math.floor(k / 12) - Math.floor(i / 12)) <= 2,
    );
    expect([i, mark === 1]).toEqual([i, isNear]);
  });
});

test("a body: its cells, means, the tilt of its ground and the rise of its banks by hand", () => {
  const [width, height] = [20, 20];
  const isIn = (i: number) =>
    i % width >= 6 && i % width < 12 && Math.floor(i / width) >= 5 && Math.floor(i / width) < 11;
  const n = width * height;
  const elevation = Float32Array.from(
    { length: n },
    (_, i) => (isIn(i) ? 3 : 5) + 0.35 * (i % width),
  );
  const before = Float32Array.from({ length: n }, (_, i) => (isIn(i) ? -12 : -10));
  const after = Float32Array.from({ length: n }, (_, i) => (isIn(i) ? -20 - (i % 2) : -10));
  const marked = Uint8Array.from({ length: n }, (_, i) => (isIn(i) || i === 0 ? 1 : 0));
  const bodies = bodiesOf({ width, height, before, after, elevation }, 4, marked, {
    leastCells: 2,
    cellM: 20,
  });
  expect(bodies).toHaveLength(1);
  const [body] = bodies;
  expect(body).toMatchObject({ sample: 4, cells: 36, slope: null });
  expect(body!.before).toEqual({ mean: -12, deviation: 0 });
  expect(body!.after.mean).toBeCloseTo(-20.5, 6);
  expect(body!.after.deviation).toBeCloseTo(0.5, 6);
  expect(body!.plane!.tiltDeg).toBeCloseTo((Math.atan(0.35 / 20) * 180) / Math.PI, 6);
  expect(body!.plane!.residualM).toBeCloseTo(0, 4);
  // Two metres up to every side; along the rows the slope of the ground adds and takes the same.
  expect(body!.rimRiseM).toBeCloseTo(2, 4);
});
