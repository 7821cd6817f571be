import type { BandInfo } from "@hindglance/core/graph/image";
import { lcg } from "@hindglance/core/testing/support";
import { fieldFigures } from "./fieldFigures";

const band = (role: BandInfo["role"], unit = ""): BandInfo => ({ name: "b", unit, role });
const figures = (values: number[], role: BandInfo["role"] = "value") =>
  fieldFigures([Float32Array.from(values)], band(role));

/** Power of so many looks: a mean of exponential values, whose mean square over variance is that. */
function speckle(looks: number, n: number): Float32Array {
  const random = lcg(11);
  return Float32Array.from({ length: n }, () => {
    let sum = 0;
    for (let k = 0; k < looks; k++) {
      sum -= Math.log(1 - random());
    }
    return sum / looks;
  });
}

test("mean, deviation and number of values by hand; cells without one are left out", () => {
  const got = figures([2, 4, NaN, 4, 4, 5, 5, 7, 9]);
  expect(got).toMatchObject({ cells: 8, mean: 5, deviation: 2, looks: null });
  expect(got.histogram.counts.reduce((sum, count) => sum + count, 0)).toBe(8);
});

test("the parts of a field count as one", () => {
  const whole = figures([1, 2, 3, 4]);
  const parts = fieldFigures([Float32Array.of(1, 2), Float32Array.of(3, 4)], band("value"));
  expect(parts).toEqual(whole);
});

test("decibels: the mean is that of power, the deviation that of decibels", () => {
  // 10 and 1 in power: mean 5.5.
  const got = figures([10, 0], "decibel");
  expect(got.mean).toBeCloseTo(10 * Math.log10(5.5), 10);
  expect(got.deviation).toBe(5);
  // Mean square over variance of 10 and 1: 5.5² / 4.5².
  expect(got.looks).toBeCloseTo((5.5 / 4.5) ** 2, 10);
});

test.each([1, 4, 16])("speckle of %i looks is found to have that many", (looks) => {
  const power = speckle(looks, 40_000);
  expect(fieldFigures([power], band("power")).looks! / looks).toBeCloseTo(1, 1);
  const decibel = power.map((value) => 10 * Math.log10(value));
  expect(fieldFigures([decibel], band("decibel")).looks! / looks).toBeCloseTo(1, 1);
});

test.each<[string, number[], BandInfo["role"]]>([
  ["where nothing varies", [3, 3, 3], "power"],
  ["of a single cell", [3], "power"],
  ["of what is no power", [1, 2, 3], "reflectance"],
])("there are no looks %s", (_why, values, role) => {
  expect(figures(values, role).looks).toBeNull();
});

test("of no cell the figures are not numbers, and the histogram is empty", () => {
  const got = figures([NaN, NaN]);
  expect(got).toMatchObject({ cells: 0, mean: NaN, looks: null });
  expect(got.histogram.counts.every((count) => count === 0)).toBe(true);
  expect(got.histogram.max).toBeGreaterThan(got.histogram.min);
});

test("the histogram spans what there is, but no lone far value", () => {
  const random = lcg(3);
  const near = Array.from({ length: 10_000 }, () => random());
  const { histogram } = figures([...near, 1e6]);
  expect(histogram.min).toBeGreaterThanOrEqual(0);
  expect(histogram.max).toBeLessThan(1e5);
  const plain = figures(near).histogram;
  expect(plain.min).toBeCloseTo(Math.min(...near), 6);
  expect(plain.max).toBeCloseTo(Math.max(...near), 6);
});

test("a field of one value has a histogram with a width", () => {
  const { histogram } = figures([7, 7, 7]);
  expect(histogram).toMatchObject({ min: 7, max: 8 });
  expect(histogram.counts.reduce((sum, count) => sum + count, 0)).toBe(3);
});
