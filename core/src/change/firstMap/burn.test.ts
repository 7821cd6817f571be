import { lcg } from "../../testing/support";
import { SEVERITY_BREAKS } from "../presets";
import { firstBurnMap } from "./burn";

const SIDE = 80;
const GROWN = 0.6;
const CHAR = -0.16;

/**
 * Ground of even plants, a block of which burned by a share that grows from left to right, with
 * what the season takes of the plants that still stand.
 */
function burnedBy(season: number) {
  const random = lcg(3);
  const layer = (value: (share: number) => number) =>
    Float32Array.from({ length: SIDE * SIDE }, (_, i) => {
      const row = Math.floor(i / SIDE);
      const col = i % SIDE;
      const share = row >= 20 && row < 60 && col >= 20 && col < 60 ? (col - 19) / 40 : 0;
      return value(share) + 0.02 * (random() - 0.5);
    });
  return {
    width: SIDE,
    height: SIDE,
    before: layer(() => GROWN),
    measure: layer((share) => share * (GROWN - CHAR) + (1 - share) * season),
  };
}

const breaksOf = (season: number) => {
  const looking = { leastCells: 12, cellM: 20, isWhole: true };
  const { rules, evidence } = firstBurnMap([burnedBy(season)], looking);
  const breaks = rules
    .filter(({ off }) => !off)
    .map(({ all }) => all.find(({ layer }) => layer === "measure")!.value);
  return { breaks, notes: evidence.notes.map(({ text }) => text) };
};

const { high, moderateHigh, moderateLow, low } = SEVERITY_BREAKS;

test("without a season the breaks are the published ones", () => {
  const { breaks } = breaksOf(0);
  expect(breaks[0]).toBe(high);
  // What burned by a little is told from noise to a hundredth.
  [moderateHigh, moderateLow, low].forEach((published, k) => {
    expect(Math.abs(breaks[k + 1]! - published)).toBeLessThan(0.015);
  });
});

test.each([0.05, 0.1])(
  "a season that takes %d moves each break by what it takes of the plants that still stand",
  (season) => {
    const { breaks, notes } = breaksOf(season);
    [high, moderateHigh, moderateLow].forEach((published, k) => {
      // The share burned at which a break would lie without a season, and its loss with one.
      const share = published / (GROWN - CHAR);
      expect(Math.abs(breaks[k]! - (published + (1 - share) * season))).toBeLessThan(0.025);
    });
    expect(notes).toContainEqual(expect.stringMatching(/lowest break is moved by that/));
  },
);
