import { normalFrom } from "../testing/normal";
import { appearanceOf } from "./appearance";
import { type Sample, fitMixture, fitOne, logDensity } from "./mixture";
import type { ClassSample } from "./samples";

/** Half of the cells about −2 with a spread of 0.5, half about 2 with a spread of 1. */
function twoLumps(cells: number): Sample {
  const normal = normalFrom(7);
  const values = Float64Array.from({ length: cells }, (_, i) =>
    i % 2 ? -2 + 0.5 * normal() : 2 + normal(),
  );
  return { values, size: 1 };
}
const bell = (x: number, mean: number, spread: number) =>
  Math.exp(-0.5 * ((x - mean) / spread) ** 2) / (spread * Math.sqrt(2 * Math.PI));

describe("mixtures of normal distributions", () => {
  test("a mixture has the density that its cells were drawn from", () => {
    const mixture = fitMixture(twoLumps(20_000));
    for (const x of [-3, -2, -1.2, 0, 1, 2, 3.5]) {
      const density = Math.exp(logDensity(mixture, Float64Array.of(x))) / Math.sqrt(2 * Math.PI);
      const drawnFrom = 0.5 * bell(x, -2, 0.5) + 0.5 * bell(x, 2, 1);
      expect(Math.abs(density - drawnFrom)).toBeLessThan(0.012);
    }
  });
  test("densities sum to one", () => {
    for (const mixture of [fitMixture(twoLumps(2000)), fitOne(twoLumps(2000))]) {
      let sum = 0;
      for (let x = -30; x < 30; x += 0.01) {
        sum += (0.01 * Math.exp(logDensity(mixture, Float64Array.of(x)))) / Math.sqrt(2 * Math.PI);
      }
      expect(sum).toBeCloseTo(1, 6);
    }
  });
  test("few cells have one lump, a single one too", () => {
    expect(fitMixture({ values: Float64Array.of(1, 2, 3), size: 1 })).toHaveLength(1);
    const [lump] = fitMixture({ values: Float64Array.of(0.5, -1), size: 2 });
    expect([...lump!.mean]).toEqual([0.5, -1]);
  });
  test("the same cells give the same mixture", () => {
    expect(fitMixture(twoLumps(500))).toEqual(fitMixture(twoLumps(500)));
  });
});

describe("how classes look", () => {
  const sample = (label: number, seen: number, rows: number[][]): ClassSample => ({
    ...{ label, seen },
    keys: Float64Array.from(rows, (_, k) => k),
    values: Float64Array.from(rows.flat()),
  });
  const spread = (about: number) =>
    Array.from({ length: 50 }, (_, k) => {
      const [before, after] = [Math.sin(k), about + Math.cos(3 * k)];
      return [before, after, after - before, 4];
    });
  test("what follows from other values, or is the same everywhere, is not looked at", () => {
    const found = appearanceOf([sample(0, 300, spread(0)), sample(1, 100, spread(-5))], 4)!;
    expect(found.used).toEqual([0, 1]);
    expect(found.shares).toEqual([0.75, 0.25]);
    expect(found.labels).toEqual([0, 1]);
  });
  test("without a cell that has all its values there is nothing to tell", () => {
    expect(appearanceOf([], 2)).toBeNull();
    expect(appearanceOf([sample(1, 10, [])], 2)).toBeNull();
    expect(appearanceOf([sample(1, 3, [[4], [4], [4]])], 1)).toBeNull();
  });
  test("a class without such a cell has no looks of its own", () => {
    const found = appearanceOf([sample(0, 300, spread(0)), sample(1, 5, [])], 4)!;
    expect(found.mixtures.map((mixture) => mixture === null)).toEqual([false, true]);
  });
});
