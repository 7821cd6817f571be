import { chiSquareAbove } from "../change/chiSquare";
import { lcg } from "../testing/support";
import { equalBackscatter, equalTail, rarity } from "./equalPower";

/** Mean of so many exponential deviates: intensities of whole looks. */
const gamma = (looks: number, random: () => number): number => {
  let sum = 0;
  for (let k = 0; k < looks; k++) {
    sum -= Math.log(1 - random());
  }
  return sum / looks;
};

const shareAbove = (looks: number, channels: number, statistic: number) =>
  10 ** -rarity(equalTail(looks, channels), statistic);

describe("tail of the likelihood ratio", () => {
  test("of one look is that of the logistic distribution, in closed form", () => {
    // For L = 1 the log ratio is logistic: P(|r| > s) = 2/(1 + exp s).
    for (const ratio of [0, 0.3, 1, 3, 8, 20]) {
      const statistic = 4 * Math.log(Math.cosh(ratio / 2));
      const wanted = 2 / (1 + Math.exp(ratio));
      expect(shareAbove(1, 1, statistic) / wanted).toBeCloseTo(1, 2);
    }
  });
  test("of many looks is chi-square with as many degrees as there are channels", () => {
    for (const channels of [1, 2]) {
      for (const statistic of [0.5, 2, 6, 12]) {
        const wanted = chiSquareAbove(statistic, channels);
        expect(shareAbove(400, channels, statistic) / wanted).toBeCloseTo(1, 1);
      }
    }
  });
  test.each([0.5, 4.4, 1000])("of %d looks begins at all cells and only falls", (looks) => {
    const { rare } = equalTail(looks, 2);
    expect(rare[0]).toBeCloseTo(0, 5);
    rare.forEach((value, k) => {
      expect(k === 0 || value >= rare[k - 1]!).toBe(true);
    });
    expect(rare.at(-1)).toBeGreaterThan(30);
    expect(rare.at(-1)).toBeLessThan(40);
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
    for (const wanted of [0.5, 0.1, 0.01, 0.001]) {
      const seldom = -Math.log10(wanted);
      const found = out.reduce((count, value) => count + (value > seldom ? 1 : 0), 0) / n;
      const deviation = Math.sqrt((wanted * (1 - wanted)) / n);
      expect(Math.abs(found - wanted)).toBeLessThan(4 * deviation);
    }
  },
);

test("what has no power on a date has no share; what is far stronger is as rare as can be told", () => {
  const out = new Float32Array(6);
  equalBackscatter(
    [Float32Array.of(0.1, NaN, 0, -1, 0.1, 1e-6)],
    [Float32Array.of(0.1, 0.1, 0.1, 0.1, 10, 1e6)],
    4.4,
    out,
  );
  expect(out[0]).toBeCloseTo(0, 5);
  expect([...out.subarray(1, 4)]).toEqual([NaN, NaN, NaN]);
  expect(out[4]).toBeGreaterThan(4);
  expect(out[5]).toBeCloseTo(equalTail(4.4, 1).rare.at(-1)!, 4);
});
