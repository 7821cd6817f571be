import { binOf, binsOf } from "./bins";
import { USUAL_FOREST, forestShares, growForest } from "./forest";
import type { Points } from "./kmeans";
import { normalFrom } from "../testing/normal";
import { randomFrom } from "./random";

/** Cells with their classes. */
interface Sample {
  points: Points;
  labels: Uint8Array;
}

/** Two classes of one band, normal with deviation one, so far apart; further bands are noise. */
function twoClasses(n: number, apart: number, noise: number, seed: number): Sample {
  const normal = normalFrom(seed);
  const bands = 1 + noise;
  const labels = Uint8Array.from({ length: n }, (_v, i) => i % 2);
  const values = new Float64Array(n * bands);
  labels.forEach((label, i) => {
    values[i * bands] = label * apart + normal();
    for (let k = 1; k < bands; k++) {
      values[i * bands + k] = normal();
    }
  });
  return { points: { values, d: bands }, labels };
}

function errorOn(forest: ReturnType<typeof growForest>, { points, labels }: Sample): number {
  const out = new Float64Array(forest.classes);
  let wrong = 0;
  labels.forEach((label, i) => {
    forestShares(forest, points.values, out, i * points.d);
    wrong += out[label]! === Math.max(...out) ? 0 : 1;
  });
  return wrong / labels.length;
}

describe("bins", () => {
  test("few values have one each, with edges halfway", () => {
    const bins = binsOf(Float64Array.of(5, 1, 1, 9, 5));
    expect([...bins.edges]).toEqual([3, 7]);
    expect([-4, 1, 3, 3.1, 7, 8].map((value) => binOf(bins, value))).toEqual([0, 0, 0, 1, 1, 2]);
  });
  test("many hold as many cells each", () => {
    const normal = normalFrom(4);
    const values = Float64Array.from({ length: 51_200 }, normal);
    const bins = binsOf(values);
    expect(bins.edges).toHaveLength(255);
    const counts = new Array<number>(256).fill(0);
    values.forEach((value) => counts[binOf(bins, value)]!++);
    expect(Math.max(...counts) - Math.min(...counts)).toBeLessThanOrEqual(1);
  });
});

describe("a forest", () => {
  test("one tree of one split lies halfway between what it parts", () => {
    const points = { values: Float64Array.of(1, 2, 3, 7, 8, 9), d: 1 };
    const labels = Uint8Array.of(0, 0, 0, 1, 1, 1);
    const forest = growForest(points, labels, 2, { ...USUAL_FOREST, trees: 50, depth: 1 });
    const out = new Float64Array(2);
    const sure = (value: number) => {
      forestShares(forest, [value], out);
      return [...out];
    };
    expect(sure(1)[0]).toBeGreaterThan(0.9);
    expect(sure(9)[1]).toBeGreaterThan(0.9);
    expect(forest.trees.every(({ depth }) => depth <= 1)).toBe(true);
    expect(sure(NaN)).toEqual([NaN, NaN]);
  });

  test("where cells of a third class lie between, it still lies halfway between those it parts", () => {
    // Two classes at either end of a band, and a third over all of it that another band tells.
    const cells = Array.from({ length: 1000 }, (_v, k) => [k / 999, 1, 2] as const);
    const ends = Array.from({ length: 100 }, (_v, k) => (k / 99) * 0.1);
    const values = [
      ...cells,
      ...ends.map((x) => [x, 0, 0] as const),
      ...ends.map((x) => [0.9 + x, 0, 1] as const),
    ];
    const points = { values: Float64Array.from(values.flatMap(([x, y]) => [x, y])), d: 2 };
    const labels = Uint8Array.from(values, ([, , label]) => label);
    const forest = growForest(points, labels, 3, { ...USUAL_FOREST, trees: 30, tried: 2 });
    const out = new Float64Array(3);
    const classAt = (x: number) => {
      forestShares(forest, [x, 0], out);
      return out.indexOf(Math.max(...out));
    };
    expect([0.3, 0.45, 0.55, 0.7].map(classAt)).toEqual([0, 0, 1, 1]);
  });
  test("what no line parts is learned by trees of two splits", () => {
    const random = randomFrom(3);
    const values = Float64Array.from({ length: 4000 }, () => random() * 2 - 1);
    const labels = Uint8Array.from({ length: 2000 }, (_v, i) =>
      values[2 * i]! > 0 !== values[2 * i + 1]! > 0 ? 1 : 0,
    );
    const forest = growForest({ values, d: 2 }, labels, 2, { ...USUAL_FOREST, trees: 30 });
    expect(errorOn(forest, { points: { values, d: 2 }, labels })).toBeLessThan(0.01);
    expect(forest.outOfBag.wrong / forest.outOfBag.cells).toBeLessThan(0.03);
  });

  test("its out-of-bag error is its error on other cells, near the least there can be", () => {
    const { points, labels } = twoClasses(6000, 2, 2, 1);
    const forest = growForest(points, labels, 2, { ...USUAL_FOREST, leastLeaf: 20 });
    const outOfBag = forest.outOfBag.wrong / forest.outOfBag.cells;
    const fresh = errorOn(forest, twoClasses(6000, 2, 2, 99));
    // Two normal classes two deviations apart: the upper tail beyond one, 0.1587.
    expect(Math.abs(outOfBag - fresh)).toBeLessThan(0.015);
    expect(fresh).toBeGreaterThan(0.145);
    expect(fresh).toBeLessThan(0.175);
  });

  test("the band that parts the classes is told from noise", () => {
    const { points, labels } = twoClasses(2000, 3, 3, 5);
    const { importance } = growForest(points, labels, 2, { ...USUAL_FOREST, depth: 4 });
    expect(importance.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 10);
    expect(importance[0]).toBeGreaterThan(0.7);
  });

  test("one seed, one forest; cells of one class make none", () => {
    const { points, labels } = twoClasses(300, 2, 1, 7);
    const options = { ...USUAL_FOREST, trees: 5 };
    const first = growForest(points, labels, 2, options);
    expect(growForest(points, labels, 2, options)).toEqual(first);
    expect(growForest(points, labels, 2, { ...options, seed: 2 })).not.toEqual(first);
    expect(() =>
      growForest(
        points,
        labels.map(() => 1),
        2,
      ),
    ).toThrow(/two classes/);
  });

  test("of very many cells some are taken, and of each class one at least", () => {
    const { points, labels } = twoClasses(450_000, 4, 0, 3);
    // A third class of few cells, far from the others.
    labels.fill(2, 449_400);
    points.values.fill(40, 449_400);
    const forest = growForest(points, labels, 3, {
      ...USUAL_FOREST,
      cellsPerTree: 200_000,
      trees: 3,
    });
    const out = new Float64Array(3);
    const classAt = (x: number) => {
      forestShares(forest, [x], out);
      return out.indexOf(Math.max(...out));
    };
    expect([-1, 5, 40].map(classAt)).toEqual([0, 1, 2]);
    // Two normal classes four deviations apart: the upper tail beyond two, 0.0228.
    expect(forest.outOfBag.wrong / forest.outOfBag.cells).toBeCloseTo(0.0228, 1);
  });

  test("leaves hold no fewer cells than asked, and trees no more splits", () => {
    const { points, labels } = twoClasses(1000, 1, 1, 11);
    const forest = growForest(points, labels, 2, {
      ...USUAL_FOREST,
      ...{ trees: 3, depth: 6, leastLeaf: 40 },
    });
    for (const { depth, left } of forest.trees) {
      expect(depth).toBeLessThanOrEqual(6);
      // A binary tree whose leaves hold 40 of 1000 cells at least has 25 of them at most.
      expect(left.length).toBeLessThanOrEqual(2 * 25 - 1);
    }
  });
});
