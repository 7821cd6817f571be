import { lcg } from "../testing/support";
import { equalTail, rarity } from "./equalPower";
import { OMNIBUS_BANDS, Omnibus, lawOfAll, lawOfNext, shareAbove } from "./omnibus";

const random = lcg(3);
/** Power of whole looks: a mean of exponential deviates. */
function speckle(looks: number): number {
  let sum = 0;
  for (let k = 0; k < looks; k++) {
    sum -= Math.log(1 - random());
  }
  return sum / looks;
}
const LOOKS = 5;
const DAYS = [0, 12, 24, 36, 48];

/** Dates of cells, two channels each. @param level of a date, all channels */
function dates(cells: number, level: (date: number, cell: number) => number): Float32Array[][] {
  return DAYS.map((_day, k) =>
    [0, 1].map(() =>
      Float32Array.from({ length: cells }, (_v, i) => 0.1 * level(k, i) * speckle(LOOKS)),
    ),
  );
}
function tested(series: Float32Array[][], limit = 3): number[][] {
  const out = OMNIBUS_BANDS.map(() => new Float32Array(series[0]![0]!.length));
  new Omnibus({ looks: LOOKS, rarity: limit, days: DAYS }, 2).run(series, out);
  return out.map((band) => [...band]);
}
const [RARE, CHANGES, FIRST, LAST, FIRST_BY, LAST_BY] = [0, 1, 2, 3, 4, 5];

test.each([1, 2])("of two dates and %d channels the law is that of the exact test", (channels) => {
  const exact = equalTail(LOOKS, channels);
  const law = lawOfAll(2, LOOKS, channels);
  for (const statistic of [2, 6, 12, 20]) {
    expect(-Math.log10(shareAbove(law, statistic)) / rarity(exact, statistic)).toBeCloseTo(1, 1);
  }
  // The second date against the first is the same test.
  expect(shareAbove(lawOfNext(2, LOOKS, channels), 9)).toBeCloseTo(shareAbove(law, 9), 9);
});

test("unchanged series are called changed as seldom as was asked for", () => {
  const cells = 60_000;
  const out = tested(
    dates(cells, () => 1),
    2,
  );
  const share = (of: (value: number) => boolean) => out[RARE]!.filter(of).length / cells;
  expect(share((value) => value > 1) / 0.1).toBeCloseTo(1, 1);
  expect(share((value) => value > 2) / 0.01).toBeGreaterThan(0.8);
  expect(share((value) => value > 2) / 0.01).toBeLessThan(1.2);
  const changed = out[CHANGES]!.filter((value) => value > 0).length / cells;
  expect(changed).toBeLessThanOrEqual(0.0125);
});

test("a step is found on its date, with how much brighter or darker it was", () => {
  const cells = 4000;
  // Darker by 15 dB from the fourth date on.
  const out = tested(dates(cells, (date) => (date >= 3 ? 10 ** -1.5 : 1)));
  const right = out[FIRST]!.filter((day) => day === 36).length / cells;
  expect(right).toBeGreaterThan(0.98);
  const by = out[FIRST_BY]!.filter((value) => value === value);
  const mean = by.reduce((sum, value) => sum + value, 0) / by.length;
  // The mean of the logarithm of speckle of five looks lies 0.45 dB low; that of three dates hardly so.
  expect(mean).toBeGreaterThan(-15.8);
  expect(mean).toBeLessThan(-14.8);
});

test("there and back are two changes, the first darker and the last brighter", () => {
  const out = tested(dates(2000, (date) => (date === 2 ? 10 ** -1.5 : 1)));
  const both = out[CHANGES]!.map((count, i) => ({ count, i })).filter(({ count }) => count === 2);
  expect(both.length).toBeGreaterThan(1900);
  const { i } = both[7]!;
  expect([out[FIRST]![i], out[LAST]![i]]).toEqual([24, 36]);
  expect(out[FIRST_BY]![i]).toBeLessThan(-5);
  expect(out[LAST_BY]![i]).toBeGreaterThan(5);
});

test("dates without a value are left out; one date is no series", () => {
  const series = dates(3, () => 1);
  series.forEach((channels, k) => {
    channels[0]![1] = k === 2 ? NaN : 0.1;
    channels[1]![1] = 0.1;
    channels[1]![2] = k === 0 ? 0.1 : 0;
  });
  const out = tested(series);
  expect([out[RARE]![1], out[CHANGES]![1]]).toEqual([0, 0]);
  expect(out[FIRST]![1]).toBeNaN();
  expect(out.every((band) => Number.isNaN(band[2]))).toBe(true);
});
