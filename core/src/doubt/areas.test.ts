import type { Transitions } from "../change/transitions";
import { normalFrom } from "../testing/normal";
import { DoubtTally, probableArea } from "./areas";
import { AROUND_SPREAD } from "./around";
import { calibrationOf } from "./calibration";
import { transitionProbabilities } from "./transitions";

const flat = {
  cell: () => 100,
  run: (_row: number, from: number, to: number) => 100 * (to - from),
};
const window = { col: 0, row: 0, width: 2, height: 2 };

describe("probable areas", () => {
  test("are sums of probabilities by zone, and merge", () => {
    const tally = new DoubtTally(2);
    const shares = Float32Array.of(1, 0.5, 0.25, NaN);
    tally.add([3], [shares], Uint16Array.of(0, 0, 1, 1), window, flat);
    const twice = new DoubtTally(2);
    twice.merge(tally.toJSON());
    twice.merge(tally.toJSON());
    expect(tally.toJSON().entries).toEqual([
      [3, 150, 0.25 * 1e4],
      [259, 25, 0.1875 * 1e4],
    ]);
    expect(probableArea(twice.toJSON(), 3, null)!.areaM2).toBe(350);
    expect(probableArea(twice.toJSON(), 3, 1)!.areaM2).toBe(50);
    expect(probableArea(twice.toJSON(), 4, null)).toBeNull();
  });

  test("intervals hold the area where cells near each other are right or wrong together", () => {
    const side = 160;
    const share = 0.3;
    // The quantile of the normal distribution below which 0.3 of it lie.
    const below = -0.5244;
    const normal = normalFrom(11);
    const reach = Math.ceil(3 * AROUND_SPREAD);
    const bell = Array.from({ length: 2 * reach + 1 }, (_, k) =>
      Math.exp(-0.5 * ((k - reach) / AROUND_SPREAD) ** 2),
    );
    const norm = Math.sqrt(bell.reduce((sum, w) => sum + w * w, 0));
    const along = (cells: Float64Array, step: number, at: (i: number) => number) =>
      cells.map((_, i) => {
        let sum = 0;
        for (let k = -reach; k <= reach; k++) {
          const j = (((at(i) + k) % side) + side) % side;
          sum += bell[k + reach]! * cells[i + (j - at(i)) * step]!;
        }
        return sum / norm;
      });
    const tally = new DoubtTally(1);
    const all = { col: 0, row: 0, width: side, height: side };
    tally.add([1], [new Float32Array(side * side).fill(share)], null, all, flat);
    const { areaM2, halfM2 } = probableArea(tally.toJSON(), 1, null)!;
    let held = 0;
    const rounds = 120;
    for (let round = 0; round < rounds; round++) {
      const noise = Float64Array.from({ length: side * side }, normal);
      const rows = along(noise, 1, (i) => i % side);
      const field = along(rows, side, (i) => Math.floor(i / side));
      const really = 100 * field.filter((value) => value < below).length;
      held += Math.abs(really - areaM2) <= halfM2 ? 1 : 0;
    }
    expect(held / rounds).toBeGreaterThan(0.92);
    expect(held / rounds).toBeLessThan(1);
  });
});

describe("a from–to map", () => {
  const transitions: Transitions = {
    ...{ beforeId: "b", afterId: "a", show: "transition", unlikely: [] },
    classes: [
      { name: "Wood", color: "#2e6b3a", before: [1], after: [1] },
      { name: "Crop", color: "#d9b84a", before: [2, 3], after: [5] },
    ],
    // Wood to crop.
    kept: [2],
  };
  test("a transition is as likely as both its sides, worked by hand", () => {
    const before = {
      labels: [1, 2, 3],
      probabilities: [[0.9], [0.06], [0.04]].map((cells) => Float32Array.from(cells)),
    };
    const after = {
      labels: [1, 5],
      probabilities: [[0.2], [0.8]].map((cells) => Float32Array.from(cells)),
    };
    const found = transitionProbabilities(transitions, before, after);
    expect(found.labels).toEqual([0, 2]);
    expect(found.probabilities[1]![0]).toBeCloseTo(0.9 * 0.8, 6);
    expect(found.probabilities[0]![0]).toBeCloseTo(1 - 0.72, 6);
  });
});

describe("calibration", () => {
  test("by hand: two bins, one of them too sure", () => {
    const certainty = [0.95, 0.95, 0.95, 0.95, 0.65, 0.65, NaN, 0.95, 0.95, 0.95, 0.95];
    const found = calibrationOf(certainty, (i) => i !== 4 && i !== 0);
    expect(found).toMatchObject({ cells: 10, wrong: 2 });
    expect(found.bins.map(({ cells, right }) => ({ cells, right }))).toEqual([
      { cells: 2, right: 0.5 },
      { cells: 8, right: 0.875 },
    ]);
    expect(found.bins[1]!.said).toBeCloseTo(0.95, 12);
    expect(found.error).toBeCloseTo(0.2 * 0.15 + 0.8 * 0.075, 12);
    // The most doubtful tenth is one cell.
    expect(found.found).toBe(0.5);
  });
  test("a map without a wrong cell leaves nothing to find", () => {
    expect(calibrationOf([1, 0.9], () => true)).toMatchObject({ wrong: 0, found: 1 });
  });
});
