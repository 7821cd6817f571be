import { chiSquareAbove } from "../change/chiSquare";
import { lcg } from "../testing/support";
import { equalBackscatter, equalTail, shareAbove } from "./equalPower";

/** Mean of so many exponential deviates: intensities of whole looks. */
const gamma = (looks: number, random: () => number): number => {
  let sum = 0;
  for (let k = 0; k < looks; k++) {
    sum -= Math.log(1 - random());
  }
  return sum / looks;
};

describe("tail of the likelihood ratio", () => {
  test("of one look is that of the logistic distribution, in closed form", () => {
    // For L = 1 the log ratio is logistic: P(|r| > s) = 2/(1 + exp s).
    const tail = equalTail(1, 1);
    for (const ratio of [0, 0.3, 1, 3, 8, 20]) {
      const statistic = 4 * Math.log(Math.cosh(ratio / 2));
      const wanted = 2 / (1 + Math.exp(ratio));
      expect(shareAbove(tail, statistic) / wanted).toBeCloseTo(1, 2);
    }
  });
  test("of many looks is chi-square with as many degrees as there are channels", () => {
    for (const channels of [1, 2]) {
      const tail = equalTail(400, channels);
      for (const statistic of [0.5, 2, 6, 12]) {
        expect(shareAbove(tail, statistic) / chiSquareAbove(statistic, channels)).toBeCloseTo(1, 1);
      }
    }
  });
  test("begins at one and falls", () => {
    const { above } = equalTail(4.4, 2);
    expect(above[0]).toBeCloseTo(1, 6);
    above.forEach((value, k) => {
      expect(k === 0 || value <= above[k - 1]!).toBe(true);
    });
  });
});

test.each([
  { looks: 1, channels: 2 },
  { looks: 4, channels: 1 },
  { looks: 4, channels: 2 },
])(
  "on unchanged ground of $looks looks and $channels channels every share comes as often as it says",
  ({ looks, channels }) => {
    const n = 200_000;
    const random = lcg(5 + looks);
    const speckled = () =>
      Array.from({ length: channels }, (_, band) =>
        Float32Array.from({ length: n }, () => (band ? 0.02 : 0.1) * gamma(looks, random)),
      );
    const out = new Float32Array(n);
    equalBackscatter(speckled(), speckled(), looks, out);
    for (const percent of [50, 10, 1]) {
      const found = out.reduce((count, value) => count + (value < percent ? 1 : 0), 0) / n;
      const wanted = percent / 100;
      const deviation = Math.sqrt((wanted * (1 - wanted)) / n);
      expect(Math.abs(found - wanted)).toBeLessThan(4 * deviation);
    }
  },
);

test("what has no power on a date has no share; what is far stronger has hardly any", () => {
  const out = new Float32Array(5);
  equalBackscatter(
    [Float32Array.of(0.1, NaN, 0, -1, 0.1)],
    [Float32Array.of(0.1, 0.1, 0.1, 0.1, 10)],
    4.4,
    out,
  );
  expect(out[0]).toBeCloseTo(100, 3);
  expect([...out.subarray(1, 4)]).toEqual([NaN, NaN, NaN]);
  expect(out[4]).toBeLessThan(0.01);
});
