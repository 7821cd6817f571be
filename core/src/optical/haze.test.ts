import { lcg } from "../testing/support";
import {
  HAZE_BINS,
  LIGHT_BINS,
  SCATTER,
  clearLine,
  groundOf,
  hazeBin,
  hazeCurve,
  hazeLevel,
  hazeOf,
  hazeOff,
  isotonic,
} from "./haze";
import { boxMean, smoothMap } from "./smooth";

test("means over squares, against a sum cell by cell, with holes and at the rim", () => {
  const width = 23;
  const height = 17;
  const random = lcg(2);
  const src = Float32Array.from({ length: width * height }, () =>
    random() < 0.3 ? NaN : random(),
  );
  const out = new Float32Array(width * height);
  const half = 3;
  boxMean(src, width, height, half, out);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      let s = 0;
      let n = 0;
      for (let j = -half; j <= half; j++) {
        for (let i = -half; i <= half; i++) {
          const value =
            r + j >= 0 && r + j < height && c + i >= 0 && c + i < width
              ? src[(r + j) * width + c + i]!
              : NaN;
          if (value === value) {
            s += value;
            n++;
          }
        }
      }
      if (n) {
        expect(out[r * width + c]).toBeCloseTo(s / n, 6);
      } else {
        expect(out[r * width + c]).toBeNaN();
      }
    }
  }
  const lone = new Float32Array(81 * 81).fill(NaN);
  lone[40 * 81 + 40] = 5;
  const m = smoothMap(lone, 81, 81, 4);
  expect([m[40 * 81 + 40], m[40 * 81 + 51], m[40 * 81 + 60]]).toEqual([5, 5, NaN]);
});
test("ground by its bands, in clear air and through haze", () => {
  const haze = (values: number[], h: number) =>
    values.map((x, k) => x + h * [0.8, 0.62, 0.48, 0.3, 0.12][k]!);
  const say = (values: number[], h = 0) =>
    groundOf(...(haze(values, h) as [number, number, number, number, number]));
  for (const h of [0, 0.1, 0.2]) {
    expect([
      say([0.05, 0.07, 0.06, 0.3, 0.2], h),
      say([0.09, 0.06, 0.03, 0.012, 0.004], h),
    ]).toEqual(["plants", "water"]);
  }
  expect([
    say([0.13, 0.15, 0.17, 0.22, 0.28]),
    say([0.6, 0.6, 0.6, 0.6, 0.4]),
    groundOf(NaN, 0.1, 0.1, 0.1, 0.1),
    groundOf(0.08, 0.06, 0.03, 0.02, NaN),
  ]).toEqual(["land", "cloud", "none", "water"]);
});
test("the clear line through a scatter half of which is hazy", () => {
  const random = lcg(6);
  const counts = new Float64Array(SCATTER.bins ** 2);
  const put = (red: number, blue: number) => {
    const x = Math.floor((red / SCATTER.max) * SCATTER.bins);
    const y = Math.floor((blue / SCATTER.max) * SCATTER.bins);
    counts[y * SCATTER.bins + x]!++;
  };
  for (let k = 0; k < 60_000; k++) {
    const red = 0.03 + 0.12 * random();
    const h = k % 2 ? 0.15 * random() : 0;
    put(red + 0.5 * h, 0.06 + 0.5 * red + 0.9 * h + 0.002 * (random() - 0.5));
  }
  const line = clearLine(counts)!;
  expect(Math.abs(line.slope - 0.5)).toBeLessThan(0.12);
  expect(Math.abs(hazeOf(line, 0.06 + 0.5 * 0.08, 0.08))).toBeLessThan(0.006);
  // A unit of haze moves a cell by 0.9 in blue and 0.5 in red.
  expect(hazeOf(line, 0.06 + 0.5 * 0.08 + 0.09, 0.08 + 0.05)).toBeGreaterThan(0.045);
  expect(clearLine(new Float64Array(SCATTER.bins ** 2))).toBeNull();
});
test("nearest never falling sequence", () => {
  expect(isotonic([1, 3, 2, 2, 5], [1, 1, 1, 1, 1])).toEqual([1, 7 / 3, 7 / 3, 7 / 3, 5]);
  expect(isotonic([4, 1], [3, 1])).toEqual([3.25, 3.25]);
});
test("what lies on each level is found and taken off without a step", () => {
  const random = lcg(9);
  const bins = LIGHT_BINS.bins;
  const band = new Float64Array(HAZE_BINS.bins * bins);
  const k = 1.7;
  const put = (h: number, value: number) => {
    band[
      hazeBin(h) * bins +
        Math.max(
          0,
          Math.min(
            bins - 1,
            Math.floor(((value - LIGHT_BINS.min) / (LIGHT_BINS.max - LIGHT_BINS.min)) * bins),
          ),
        )
    ]!++;
  };
  for (let i = 0; i < 80_000; i++) {
    put(0.006 * (random() + random() - 1), 0.05 + 0.2 * random());
  }
  for (let i = 0; i < 80_000; i++) {
    const h = 0.02 + 0.1 * random();
    put(h, 0.05 + 0.2 * random() + k * h);
  }
  const c = hazeCurve([band])!;
  expect(c.from).toBeGreaterThan(0.004);
  expect(c.from).toBeLessThan(0.03);
  for (const h of [0.04, 0.07, 0.1]) {
    expect(Math.abs(hazeOff(c, 0, h) - k * h)).toBeLessThan(0.012);
  }
  expect([hazeOff(c, 0, 0), hazeOff(c, 0, c.from), hazeOff(c, 0, NaN)]).toEqual([0, 0, 0]);
  for (let h = 0; h < 0.15; h += 0.0005) {
    expect(hazeOff(c, 0, h + 0.0005) - hazeOff(c, 0, h)).toBeLessThan(0.004);
  }
  expect(hazeCurve([new Float64Array(HAZE_BINS.bins * bins)])).toBeNull();
  expect([
    hazeLevel(-0.01),
    hazeLevel(0.005),
    hazeLevel(0.02),
    hazeLevel(0.2),
    hazeLevel(NaN),
  ]).toEqual([0, 1, 2, 3, 0]);
});
