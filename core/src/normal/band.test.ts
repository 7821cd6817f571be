import { lcg } from "../testing/support";
import { blockMeans, normalBand } from "./band";
import { departures, priorOfCells } from "./departure";
import { AsRare } from "./student";

const random = lcg(11);
const dates = Array.from({ length: 4 }, () =>
  Float32Array.from({ length: 900 }, () => random() + random() + random()),
);

test("the value of t that is as rare as a deviation is the one that the tables give", () => {
  expect(new AsRare(10).back(1.959963985)).toBeCloseTo(2.228138852, 2);
  expect(new AsRare(Infinity).back(3)).toBeCloseTo(3, 3);
});

test("a date at the end of the band departs by what the band says, and one in the middle not at all", () => {
  const cell = 137;
  const band = normalBand(dates, cell, 3.5)!;
  expect(band.low).toBeLessThan(band.middle);
  const prior = priorOfCells(dates, 1)!;
  const departure = (value: number): number => {
    const date = new Float32Array(900).fill(value);
    const out = new Float32Array(900);
    departures(dates, date, prior, out);
    return out[cell]!;
  };
  expect(departure(band.low)).toBeCloseTo(-3.5, 3);
  expect(departure(band.high)).toBeCloseTo(3.5, 3);
  expect(departure(band.middle)).toBeCloseTo(0, 3);
});

test("there is none where cells are too few, or the place is seen on too few dates", () => {
  expect(
    normalBand(
      dates.map((cells) => cells.subarray(0, 9)),
      4,
      3.5,
    ),
  ).toBeNull();
  const hidden = dates.map((cells, k) => {
    const own = cells.slice();
    own[5] = k < 2 ? NaN : own[5]!;
    return own;
  });
  expect(normalBand(hidden, 5, 3.5)).toBeNull();
});

test("means of blocks are those of power where values are decibels", () => {
  const cells = Float32Array.from([10, 20, 1, 10, 20, 2, 3, 4, 5]);
  expect([...blockMeans(cells, 3, 2, false)]).toEqual([15]);
  // 10 and 100, mean 55.
  expect(blockMeans(cells, 3, 2, true)[0]).toBeCloseTo(10 * Math.log10(55), 5);
  expect(blockMeans(new Float32Array(4).fill(NaN), 2, 2, false)[0]).toBeNaN();
});
