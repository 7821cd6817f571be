import { chiSquareAbove } from "../change/chiSquare";
import {
  gaussianOf,
  mahalanobisSquared,
  normalPriors,
  posteriors,
  variancesWithin,
} from "./gaussian";
import type { Points } from "./kmeans";
import { normalFrom } from "../testing/normal";
import { separability } from "./separability";
import { type Signature, mergedSignature, signatureOf } from "./signature";

const points = (...cells: number[][]): Points => ({
  values: Float64Array.from(cells.flat()),
  d: cells[0]!.length,
});

/** Cells of a normal distribution with these means, whose bands share a part of their deviation. */
function normalCells(means: number[], deviation: number, shared: number, n: number, seed: number) {
  const normal = normalFrom(seed);
  return points(
    ...Array.from({ length: n }, () => {
      const common = normal() * shared;
      return means.map((mean) => mean + deviation * normal() + common);
    }),
  );
}

const oneBand = (mean: number, variance: number, count = 100): Signature => ({
  ...{ count, mean: Float64Array.of(mean), covariance: Float64Array.of(variance) },
});

describe("signatures", () => {
  test("mean and covariance by hand", () => {
    const { count, mean, covariance } = signatureOf(points([1, 2], [3, 2], [5, 8]));
    expect(count).toBe(3);
    expect([...mean]).toEqual([3, 4]);
    // (4 + 0 + 4) / 2; (4 + 0 + 8) / 2; (4 + 4 + 16) / 2.
    expect([...covariance]).toEqual([4, 6, 6, 12]);
  });
  test("a large mean does not drown a small spread", () => {
    const far = signatureOf(points([1e8 + 0.25], [1e8 + 0.5], [1e8 + 0.75]));
    expect(far.covariance[0]).toBeCloseTo(0.0625, 10);
  });
  test("two parts as one are the whole", () => {
    const whole = normalCells([3, 50], 2, 1, 400, 5);
    const part = (from: number, to: number) =>
      signatureOf({ values: whole.values.slice(2 * from, 2 * to), d: 2 });
    const merged = mergedSignature(part(0, 130), part(130, 400));
    const direct = signatureOf(whole);
    expect(merged.count).toBe(400);
    merged.mean.forEach((value, b) => expect(value).toBeCloseTo(direct.mean[b]!, 10));
    merged.covariance.forEach((value, k) => expect(value).toBeCloseTo(direct.covariance[k]!, 9));
  });
  test("no cell has no mean", () => {
    expect(() => signatureOf({ values: new Float64Array(0), d: 3 })).toThrow(/no mean/);
  });
});

describe("normal distributions", () => {
  const within = Float64Array.of(1, 1);
  const correlated: Signature = {
    ...{ count: 50, mean: Float64Array.of(1, 2), covariance: Float64Array.of(4, 2, 2, 3) },
  };

  test("Mahalanobis' distance by the inverse, worked by hand", () => {
    // Σ⁻¹ = [3, −2; −2, 4] / 8; at (3, 1): Δ = (2, −1): (12 + 8 + 4) / 8.
    const one = gaussianOf(correlated, within);
    expect(mahalanobisSquared(one, [3, 1])).toBeCloseTo(3, 12);
    expect(one.logDeterminant).toBeCloseTo(Math.log(8), 12);
    expect(one.lent).toBe(0);
  });

  test("probabilities of two classes of one band, by their densities", () => {
    const classes = [oneBand(0, 1), oneBand(3, 4)].map((one) =>
      gaussianOf(one, Float64Array.of(2)),
    );
    const priors = normalPriors([3, 1]);
    const density = (x: number, mean: number, variance: number) =>
      Math.exp(-((x - mean) ** 2) / (2 * variance)) / Math.sqrt(2 * Math.PI * variance);
    const out = new Float64Array(2);
    for (const x of [-2, 0, 1.4, 2.9, 7]) {
      posteriors(classes, priors, [x], out);
      const [first, second] = [0.75 * density(x, 0, 1), 0.25 * density(x, 3, 4)];
      expect(out[0]).toBeCloseTo(first / (first + second), 12);
      expect(out[0]! + out[1]!).toBeCloseTo(1, 12);
    }
    // Where both densities are nought as numbers, the wider class has it.
    posteriors(classes, priors, [1e4], out);
    expect([...out]).toEqual([0, 1]);
    posteriors(classes, priors, [NaN], out);
    expect([...out]).toEqual([NaN, NaN]);
  });

  test("a class of prior nought is never chosen; priors that cannot be are refused", () => {
    const classes = [oneBand(0, 1), oneBand(3, 4)].map((one) =>
      gaussianOf(one, Float64Array.of(2)),
    );
    const out = new Float64Array(2);
    posteriors(classes, normalPriors([0, 2]), [0], out);
    expect([...out]).toEqual([0, 1]);
    expect(() => normalPriors([0, 0])).toThrow(/All priors are nought/);
    expect(() => normalPriors([1, -1])).toThrow(/prior of class 2/);
    expect(() => normalPriors([NaN, 1])).toThrow(/prior of class 1/);
  });

  test("distances of a class's own cells are chi-square", () => {
    const cells = normalCells([10, 20, 30], 2, 3, 4000, 9);
    const one = gaussianOf(signatureOf(cells), Float64Array.of(1, 1, 1));
    let far = 0;
    for (let i = 0; i < 4000; i++) {
      far += chiSquareAbove(mahalanobisSquared(one, cells.values, 3 * i), 3) < 0.05 ? 1 : 0;
    }
    // Of 4000 cells 200 lie beyond the twentieth part; three deviations are 41.
    expect(Math.abs(far - 200)).toBeLessThan(41);
  });
});

describe("classes of too few cells", () => {
  const many = signatureOf(normalCells([5, 5, 5], 1, 1, 300, 3));
  const few = signatureOf(points([8, 8, 8.5], [9, 8, 9]));

  test("no more cells than bands: they take d ÷ (n + d) of the spread within all", () => {
    const within = variancesWithin([many, few]);
    expect(gaussianOf(many, within).lent).toBe(0);
    const lent = gaussianOf(few, within);
    expect(lent.lent).toBe(3 / 5);
    expect(Number.isFinite(lent.logDeterminant)).toBe(true);
  });
  test("a band that is constant in one class takes the least that mends it", () => {
    const flat = signatureOf(points(...Array.from({ length: 20 }, (_v, k) => [k, 7, k * k])));
    expect(gaussianOf(flat, variancesWithin([many, flat])).lent).toBe(1e-6);
  });
  test("a band that is constant in every class is named", () => {
    const flat = signatureOf(points(...Array.from({ length: 20 }, (_v, k) => [k, 7, k * k])));
    expect(() => gaussianOf(flat, variancesWithin([flat, flat]))).toThrow(/Input 2 has one value/);
  });
});

describe("how far classes lie apart", () => {
  const within = Float64Array.of(1);

  test("one band, by the closed form", () => {
    // B = ⅛ · 4² / ((1 + 4) / 2) + ½ ln((5 / 2) / 2); D = ½ (1 − 4)(¼ − 1) + ½ · 16 (1 + ¼).
    const { jeffriesMatusita, transformedDivergence } = separability(
      oneBand(0, 1),
      oneBand(4, 4),
      within,
    );
    const b = 16 / 2.5 / 8 + 0.5 * Math.log(2.5 / 2);
    expect(jeffriesMatusita).toBeCloseTo(2 * (1 - Math.exp(-b)), 12);
    expect(transformedDivergence).toBeCloseTo(2 * (1 - Math.exp(-(1.125 + 10) / 8)), 12);
  });
  test("nought for a class and itself, the same both ways, up to 2, in any unit", () => {
    const one = signatureOf(normalCells([3, 4], 1, 0.5, 200, 1));
    const other = signatureOf(normalCells([5, 4], 2, 0.5, 200, 2));
    const all = variancesWithin([one, other]);
    const there = separability(one, other, all);
    expect(separability(one, one, all).jeffriesMatusita).toBeCloseTo(0, 12);
    const back = separability(other, one, all);
    expect(back.jeffriesMatusita).toBeCloseTo(there.jeffriesMatusita, 12);
    expect(back.transformedDivergence).toBeCloseTo(there.transformedDivergence, 12);
    const inMetres = (signature: Signature): Signature => ({
      ...signature,
      mean: signature.mean.map((value, b) => (b === 0 ? value * 1e4 : value)),
      covariance: signature.covariance.map((value, at) => value * [1e8, 1e4, 1e4, 1][at]!),
    });
    const [far, near] = [inMetres(one), inMetres(other)];
    const scaled = separability(far, near, variancesWithin([far, near]));
    expect(scaled.jeffriesMatusita).toBeCloseTo(there.jeffriesMatusita, 9);
    expect(separability(oneBand(0, 1), oneBand(99, 1), within).jeffriesMatusita).toBeCloseTo(2, 12);
  });
});
