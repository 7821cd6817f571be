import { lcg } from "../testing/support";
import { FEWEST_NORMAL, departures, priorOfCells } from "./departure";
import { fQuantile, priorOf } from "./prior";
import { AsRare, normalAbove, normalBeyond, studentAbove } from "./student";

const random = lcg(7);
/** A deviate of the standard normal distribution (Box & Muller 1958). */
const gauss = (): number =>
  Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
/** A deviate of a chi-square distribution of whole degrees. */
const chiSquare = (degrees: number): number =>
  Array.from({ length: degrees }, () => gauss() ** 2).reduce((sum, one) => sum + one, 0);

test("shares of the normal and of Student's distribution are those of the tables", () => {
  expect(normalAbove(1.959963985)).toBeCloseTo(0.025, 9);
  expect(normalAbove(3.090232306)).toBeCloseTo(0.001, 9);
  // Two degrees: a half less t over twice the root of t squared and two.
  for (const value of [0.5, 2, 10]) {
    expect(studentAbove(value, 2)).toBeCloseTo(0.5 - value / (2 * Math.sqrt(value ** 2 + 2)), 9);
  }
  // One degree: the Cauchy distribution.
  expect(studentAbove(3, 1)).toBeCloseTo(0.5 - Math.atan(3) / Math.PI, 9);
  expect(studentAbove(2.228138852, 10)).toBeCloseTo(0.025, 7);
  expect(normalBeyond(0.001)).toBeCloseTo(3.090232306, 6);
  expect(normalBeyond(0.5)).toBe(0);
});

test("a value of t is told by the deviation that is as rare", () => {
  const table = new AsRare(10);
  expect(table.of(2.228138852)).toBeCloseTo(1.959963985, 3);
  expect(table.of(-2.228138852)).toBeCloseTo(-1.959963985, 3);
  expect(table.of(0)).toBe(0);
  expect(table.of(NaN)).toBeNaN();
  expect(table.of(1e9)).toBeGreaterThan(10);
});

test("quartiles of the F distribution of two and two degrees are those of its closed form", () => {
  // Below x lies x over one and x.
  for (const share of [0.25, 0.5, 0.75]) {
    expect(fQuantile(share, 2, 2)).toBeCloseTo(share / (1 - share), 9);
  }
});

test.each([
  [2, 4, 0.8],
  [3, 12, 2.5],
  [4, Infinity, 1],
])("variances of %d degrees give back the prior they were drawn from", (own, degrees, variance) => {
  const drawn = Array.from({ length: 30_000 }, () => {
    const true_ = degrees === Infinity ? variance : (variance * degrees) / chiSquare(degrees);
    return (true_ * chiSquare(own)) / own;
  });
  const prior = priorOf(drawn, own)!;
  expect(prior.variance / variance).toBeCloseTo(1, 1);
  if (degrees === Infinity) {
    expect(prior.degrees).toBeGreaterThan(60);
  } else {
    expect(prior.degrees / degrees).toBeGreaterThan(0.8);
    expect(prior.degrees / degrees).toBeLessThan(1.25);
  }
});

test("cells that changed among the dates hardly move the prior; too few tell none", () => {
  const still = Array.from({ length: 9500 }, () => chiSquare(3) / 3);
  const changed = Array.from({ length: 500 }, () => 40 + 10 * random());
  expect(priorOf([...still, ...changed], 3)!.variance).toBeLessThan(1.15);
  expect(priorOf([1, 2, 3], 3)).toBeNull();
});

const CELLS = 60_000;
/** Dates of cells that vary by laws of their own. */
function datesOf(count: number): Float32Array[] {
  const deviations = Float64Array.from({ length: CELLS }, () => Math.sqrt(8 / chiSquare(8)));
  const middles = Float64Array.from({ length: CELLS }, () => -10 + 4 * gauss());
  return Array.from({ length: count }, () =>
    Float32Array.from({ length: CELLS }, (_v, i) => middles[i]! + deviations[i]! * gauss()),
  );
}

test.each([3, 4, 8])("of %d normal dates still ground departs as seldom as is said", (count) => {
  const dates = datesOf(count + 1);
  const normal = dates.slice(0, count);
  const out = new Float32Array(CELLS);
  departures(normal, dates[count]!, priorOfCells(normal, 3)!, out);
  const beyond = (limit: number) => out.filter((value) => Math.abs(value) > limit).length / CELLS;
  // 1.96, 2.58 and 3.29 deviations: 5, 1 and 0.1 percent.
  expect(beyond(1.96)).toBeGreaterThan(0.04);
  expect(beyond(1.96)).toBeLessThan(0.06);
  expect(beyond(2.5758) / 0.01).toBeLessThan(1.35);
  expect(beyond(3.2905) / 0.001).toBeLessThan(2);
});

test("a date among the normal ones that was none does not hide the next one", () => {
  const normal = datesOf(5);
  const prior = priorOfCells(normal, 3)!;
  const date = Float32Array.from(normal[0]!, (value) => value - 12);
  const flooded = normal.map((one, k) => (k === 2 ? one.map((value) => value - 12) : one));
  const [clean, with_] = [new Float32Array(CELLS), new Float32Array(CELLS)];
  departures(normal, date, prior, clean);
  departures(flooded, date, prior, with_);
  const median = (values: Float32Array) => values.slice().sort()[CELLS / 2]!;
  expect(median(clean)).toBeLessThan(-5);
  expect(median(with_)).toBeLessThan(-2.5);
});

test("cells with fewer dates than tell what is normal have no departure", () => {
  const some = Array.from({ length: FEWEST_NORMAL }, () => Float32Array.of(1, 1, 1));
  some[0]![1] = NaN;
  const out = new Float32Array(3);
  const prior = { variance: 1, degrees: Infinity };
  departures(some, Float32Array.of(1 + Math.sqrt(4 / 3), 1, NaN), prior, out);
  // One deviation of a further date: the root of one and a third.
  expect(out[0]).toBeCloseTo(1, 3);
  expect(out[1]).toBeNaN();
  expect(out[2]).toBeNaN();
});
