import { betaBelow, betaQuantile } from "./beta";
import { accuracyOf, unseenStrata } from "./estimates";
import { planSample } from "./plan";
import { type StratumCounts, countsByStratum } from "./sample";

/** A matrix of places, rows the map and columns the reference, on classes of so many cells of 30 m. */
function strataOf(
  cells: readonly number[],
  matrix: readonly (readonly number[])[],
): StratumCounts[] {
  const strata = cells.map((count, k) => ({
    ...{ id: k + 1, label: k + 1, cells: count, areaM2: count * 900 },
  }));
  const counts = matrix.flatMap((row, i) =>
    row.map((units, j) => ({ stratum: i + 1, reference: j + 1, units })),
  );
  return countsByStratum(strata, counts);
}

// Deforestation, forest gain, stable forest, stable non-forest: Olofsson et al. 2014, tables 8 and 9.
const CELLS = [200_000, 150_000, 3_200_000, 6_450_000];
const MATRIX = [
  [66, 0, 5, 4],
  [0, 55, 8, 12],
  [1, 0, 153, 11],
  [2, 1, 9, 313],
];

describe("the published example of areas adjusted by a sample", () => {
  const found = accuracyOf(strataOf(CELLS, MATRIX))!;
  const hectares = (m2: number) => m2 / 1e4;
  test("areas with their intervals of 1.96 standard errors are those of the paper", () => {
    const areas = found.classes.map(({ area }) => [
      Math.round(hectares(area.value)),
      Math.round(1.96 * hectares(area.standardError!)),
    ]);
    expect(areas).toEqual([
      [21_158, 6158],
      [11_686, 3756],
      [285_770, 15_510],
      [581_386, 16_282],
    ]);
  });
  test("accuracies are those of the paper", () => {
    const two = (value: number) => Math.round(100 * value) / 100;
    expect(found.classes.map(({ users }) => two(users!.value))).toEqual([0.88, 0.73, 0.93, 0.96]);
    expect(found.classes.map(({ producers }) => two(producers!.value))).toEqual([
      0.75, 0.85, 0.93, 0.96,
    ]);
    expect(two(found.overall.value)).toBe(0.95);
    expect(found.classes.map(({ users }) => two(1.96 * users!.standardError!))).toEqual([
      0.07, 0.1, 0.04, 0.02,
    ]);
    expect(two(1.96 * found.overall.standardError!)).toBe(0.02);
  });
  test("equal the paper's formulas, worked one by one, to 1e-12", () => {
    const all = CELLS.reduce((sum, one) => sum + one, 0);
    const weights = CELLS.map((one) => one / all);
    const sums = MATRIX.map((row) => row.reduce((sum, one) => sum + one, 0));
    const right = MATRIX.map((row, i) => row[i]! / sums[i]!);
    const near = (value: number, wanted: number) =>
      expect(Math.abs(value - wanted)).toBeLessThan(1e-12);
    // Eq. 5.
    const overall = weights.reduce(
      (sum, w, i) => sum + (w ** 2 * right[i]! * (1 - right[i]!)) / (sums[i]! - 1),
      0,
    );
    near(found.overall.standardError!, Math.sqrt(overall));
    found.classes.forEach(({ area, users, producers }, j) => {
      const shares = MATRIX.map((row, i) => row[j]! / sums[i]!);
      // Eqs. 9 and 10.
      const share = weights.reduce((sum, w, i) => sum + w * shares[i]!, 0);
      const variance = weights.reduce(
        (sum, w, i) => sum + (w ** 2 * shares[i]! * (1 - shares[i]!)) / (sums[i]! - 1),
        0,
      );
      near(area.value / (all * 900), share);
      near(area.standardError! / (all * 900), Math.sqrt(variance));
      // Eq. 6.
      near(users!.standardError!, Math.sqrt((right[j]! * (1 - right[j]!)) / (sums[j]! - 1)));
      // Eq. 7.
      const has = (weights[j]! * right[j]!) / share;
      near(producers!.value, has);
      const own = (CELLS[j]! ** 2 * (1 - has) ** 2 * right[j]! * (1 - right[j]!)) / (sums[j]! - 1);
      const others = CELLS.reduce(
        (sum, cells, i) =>
          i === j ? sum : sum + (cells ** 2 * shares[i]! * (1 - shares[i]!)) / (sums[i]! - 1),
        0,
      );
      near(producers!.standardError!, Math.sqrt((own + has ** 2 * others) / (share * all) ** 2));
    });
  });
  test("disagreements sum to what is wrong; shares to one", () => {
    const { quantity, allocation, overall, shares, units } = found;
    expect(quantity.value + allocation.value).toBeCloseTo(1 - overall.value, 12);
    expect(shares.flat().reduce((sum, one) => sum + one, 0)).toBeCloseTo(1, 12);
    expect(units).toEqual(MATRIX);
    // Differences of the sums of rows and columns, by hand from the paper's table 9.
    const off = found.classes.map(({ mappedM2, area }) => Math.abs(mappedM2 - area.value));
    expect(quantity.value).toBeCloseTo(off.reduce((sum, one) => sum + one, 0) / 2 / 9e9, 12);
  });
  test("intervals hold the value, and are near ± 1.96 errors where there are many places", () => {
    for (const { area } of found.classes) {
      expect(area.low!).toBeLessThan(area.value);
      expect(area.high!).toBeGreaterThan(area.value);
      expect((area.high! - area.low!) / (3.92 * area.standardError!)).toBeCloseTo(1, 0);
    }
  });
});

describe("kappa", () => {
  // Two classes, of which as much is mapped as there are places: textbook kappa of the counts.
  const strata = strataOf(
    [70, 30],
    [
      [45, 25],
      [5, 25],
    ].map((row) => row.map((one) => one)),
  );
  test("is that of the counts where places are in proportion", () => {
    const { kappa, overall, classes } = accuracyOf(strata)!;
    const chance = 0.7 * 0.5 + 0.3 * 0.5;
    expect(overall.value).toBeCloseTo(0.7, 12);
    expect(kappa!.value).toBeCloseTo((0.7 - chance) / (1 - chance), 12);
    expect(classes[0]!.kappa!.value).toBeCloseTo((0.45 - 0.35) / (0.7 - 0.35), 12);
    expect(classes[0]!.f1!.value).toBeCloseTo((2 * 0.45) / (0.7 + 0.5), 12);
  });
  test("has the error that repeated samples show", () => {
    // Moved by one place at a time (jackknife), stratum by stratum.
    const value = (matrix: number[][]) => accuracyOf(strataOf([70, 30], matrix))!.kappa!.value;
    const matrix = [
      [45, 25],
      [5, 25],
    ];
    let variance = 0;
    matrix.forEach((row, i) => {
      const units = row[0]! + row[1]!;
      const without = row.map((_count, j) => {
        const less = matrix.map((one) => [...one]);
        less[i]![j]! -= 1;
        return value(less);
      });
      const mean = (row[0]! * without[0]! + row[1]! * without[1]!) / units;
      const squares = row.reduce((sum, count, j) => sum + count * (without[j]! - mean) ** 2, 0);
      variance += ((units - 1) / units) * squares;
    });
    const { standardError } = accuracyOf(strata)!.kappa!;
    expect(standardError! / Math.sqrt(variance)).toBeCloseTo(1, 1);
  });
});

describe("what cannot be told", () => {
  test("a stratum without a place leaves everything open, one place has no spread", () => {
    const none = strataOf(
      [70, 30],
      [
        [5, 1],
        [0, 0],
      ],
    );
    expect(accuracyOf(none)).toBeNull();
    expect(unseenStrata(none).map(({ id }) => id)).toEqual([2]);
    const single = accuracyOf(
      strataOf(
        [70, 30],
        [
          [5, 1],
          [0, 1],
        ],
      ),
    )!;
    expect(single.overall).toMatchObject({ standardError: null, low: null, high: null });
    expect(single.overall.value).toBeCloseTo((0.7 * 5) / 6 + 0.3, 12);
  });
  test("a class that nobody found has no producer's accuracy; one not mapped no user's", () => {
    const found = accuracyOf(
      strataOf(
        [70, 30],
        [
          [10, 0, 2],
          [10, 0, 0],
        ].map((row) => row),
      ),
    )!;
    const [, second, third] = found.classes;
    expect(second!.producers).toBeNull();
    expect(third).toMatchObject({ users: null, mappedM2: 0 });
    expect(third!.area.value).toBeCloseTo(100 * 900 * 0.7 * (2 / 12), 6);
  });
});

describe("how large a sample is to be", () => {
  test("the paper's example: 641 places, user's accuracies 0.7, 0.6, 0.9, 0.95, an error of 0.01", () => {
    const strata = CELLS.map((cells, k) => ({
      ...{ id: k + 1, cells, areaM2: 900 * cells },
      accuracy: [0.7, 0.6, 0.9, 0.95][k]!,
    }));
    const plan = planSample(strata, { standardError: 0.01, least: 75 });
    expect(plan.needed).toBe(641);
    expect(plan.units).toEqual([75, 75, 205, 413]);
    expect(plan.standardError).toBeLessThan(0.01);
  });
  test("no stratum gives more than it has; wishes that make no sense are refused", () => {
    const tiny = [{ id: 1, cells: 12, areaM2: 1, accuracy: 0.5 }];
    expect(planSample(tiny, { standardError: 0.01, least: 50 }).units).toEqual([12]);
    expect(() => planSample(tiny, { standardError: 0, least: 50 })).toThrow(/between 0 and 1/);
    expect(() => planSample(tiny, { standardError: 0.01, least: 1 })).toThrow(/Two places/);
  });
});

test("shares of beta distributions are those of another library", () => {
  // By scipy.stats.beta.ppf.
  for (const [share, a, b, value] of [
    [0.025, 3.3, 290.7, 0.002573261178835038],
    [0.975, 0.25, 100.25, 0.017040638843162446],
    [0.025, 0.25, 300.25, 8.792330634966738e-10],
    [0.5, 2, 3, 0.3857275681323893],
  ] as const) {
    expect(Math.abs(betaQuantile(share, a, b) / value - 1)).toBeLessThan(1e-8);
    expect(betaBelow(value, a, b)).toBeCloseTo(share, 9);
  }
  expect([betaBelow(0, 1, 1), betaBelow(1, 1, 1), betaBelow(0.5, 0, 1)]).toEqual([0, 1, NaN]);
});
