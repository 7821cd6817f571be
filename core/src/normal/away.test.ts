import { AWAY, AWAY_BANDS, away, isAway } from "./away";

const still = { variance: 1, degrees: Infinity };
const normal = Array.from({ length: 4 }, () => new Float32Array(7));
/** Dates 12, 24, 36 and 48 days after the last normal one; a deviation of one more date is the root of 1.25. */
const watched = [
  [0, -9, -9, 0, NaN, 9, NaN],
  [0, -9, 0, NaN, NaN, 0, NaN],
  [0, -9, 0, -9, NaN, -9, NaN],
  [0, -9, -9, NaN, -9, 0, NaN],
].map((cells, k) => ({ cells: Float32Array.from(cells), day: 12 * (k + 1) }));

const outOf = (side: "below" | "above" | "both") => {
  const out = AWAY_BANDS.map(() => new Float32Array(7));
  away(normal, watched, still, { beyond: 3.5, side }, out);
  return out.map((band) => [...band]);
};

test("cells are followed from date to date: by hand", () => {
  const out = outOf("below");
  // Still; flooded to the end; one date and back, whatever comes later; late and not seen after; seen once.
  expect(out[AWAY.first]).toEqual([0, 12, 12, 36, 48, 36, NaN]);
  expect(out[AWAY.days]).toEqual([0, 36, 12, 0, 0, 12, NaN]);
  expect(out[AWAY.back]).toEqual([NaN, 0, 1, 0, 0, 1, NaN]);
  expect(out[AWAY.dates]).toEqual([0, 4, 1, 1, 1, 1, NaN]);
  expect(out[AWAY.farthest]![0]).toBeNaN();
  expect(out[AWAY.farthest]![1]).toBeCloseTo(-9 / Math.sqrt(1.25), 2);
});

test("on either side the first of both counts", () => {
  const out = outOf("both");
  expect(out[AWAY.first]![5]).toBe(12);
  expect(out[AWAY.days]![5]).toBe(12);
  expect(outOf("above")[AWAY.first]).toEqual([0, 0, 0, 0, 0, 12, NaN]);
});

test("a departure that is not known is not away", () => {
  expect(isAway(NaN, { beyond: 3, side: "both" })).toBe(false);
  expect(isAway(-3.1, { beyond: 3, side: "below" })).toBe(true);
  expect(isAway(-3.1, { beyond: 3, side: "above" })).toBe(false);
});
