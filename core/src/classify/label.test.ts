import { chiSquareAbove } from "../change/chiSquare";
import { USUAL_FOREST, forestShares, growForest } from "./forest";
import {
  gaussianOf,
  mahalanobisSquared,
  normalPriors,
  posteriors,
  variancesWithin,
} from "./gaussian";
import { type GaussianModel, labelLikeliest } from "./labelGaussian";
import { labelByForest, sharesByForest } from "./labelForest";
import { normalFrom } from "../testing/normal";
import { signatureOf } from "./signature";

const CLASSES = 5;
const BANDS = 3;

/** Cells of five overlapping classes in three bands, and two that have no number in one. */
function made(n: number) {
  const normal = normalFrom(21);
  const labels = Uint8Array.from({ length: n }, (_v, i) => i % CLASSES);
  const bands = Array.from({ length: BANDS }, (_v, b) =>
    Float32Array.from(labels, (label) => label * (b === 1 ? -0.7 : 1.1) + normal()),
  );
  const values = Float64Array.from({ length: n * BANDS }, (_v, at) => {
    return bands[at % BANDS]![Math.floor(at / BANDS)]!;
  });
  bands[0]![7] = NaN;
  bands[2]![n - 1] = NaN;
  return { labels, bands, points: { values, d: BANDS } };
}
const n = 3001;
const { labels, bands, points } = made(n);
const cellAt = (i: number): number[] => bands.map((band) => band[i]!);
const topOf = (shares: Float64Array): number =>
  Number.isNaN(shares[0]) ? 255 : shares.indexOf(Math.max(...shares)) + 1;

describe("maximum likelihood over an image", () => {
  const signatures = Array.from({ length: CLASSES }, (_v, label) =>
    signatureOf({
      values: points.values.filter((_value, at) => labels[Math.floor(at / BANDS)] === label),
      d: BANDS,
    }),
  );
  const within = variancesWithin(signatures);
  const model: GaussianModel = {
    classes: signatures.map((signature) => gaussianOf(signature, within)),
    priors: normalPriors([1, 2, 1, 0, 1]),
    rejectAbove: null,
  };
  const out = new Uint8Array(n);

  test("the class of each cell is the one with the highest probability, in double precision", () => {
    labelLikeliest(bands, model, out);
    const shares = new Float64Array(CLASSES);
    let other = 0;
    for (let i = 0; i < n; i++) {
      posteriors(model.classes, model.priors, cellAt(i), shares);
      const isNear = [...shares].sort((a, b) => b - a);
      const isTie = isNear[0]! - isNear[1]! < 1e-4;
      other += out[i] === topOf(shares) || isTie ? 0 : 1;
    }
    expect(other).toBe(0);
    expect([out[7], out[n - 1]]).toEqual([255, 255]);
    expect(out.includes(4)).toBe(false);
  });

  test("a cell farther than chi square allows belongs to none", () => {
    // One in ten of a class's own cells lies farther than this in three bands.
    const rejectAbove = 6.2514;
    expect(chiSquareAbove(rejectAbove, BANDS)).toBeCloseTo(0.1, 4);
    const all = out.slice();
    labelLikeliest(bands, { ...model, rejectAbove }, out);
    for (let i = 0; i < n; i++) {
      const label = all[i]!;
      const distance = label === 255 ? 0 : mahalanobisSquared(model.classes[label - 1]!, cellAt(i));
      const isSure = Math.abs(distance - rejectAbove) > 1e-3;
      expect(out[i] === (distance > rejectAbove ? 0 : label) || !isSure).toBe(true);
    }
    expect(out.includes(0)).toBe(true);
  });
});

describe("a forest over an image", () => {
  const forest = growForest(points, labels, CLASSES, { ...USUAL_FOREST, trees: 40, depth: 9 });

  test("labels are those of the mean shares, also where cells leave the walk early", () => {
    const out = new Uint8Array(n);
    labelByForest(bands, forest, out);
    const shares = new Float64Array(CLASSES);
    for (let i = 0; i < n; i++) {
      forestShares(forest, cellAt(i), shares);
      const [first, second] = [...shares].sort((a, b) => b - a);
      expect(out[i] === topOf(shares) || first! - second! < 1e-5).toBe(true);
    }
  });

  test("labels are the same when most cells lie in boxes that are decided by then", () => {
    const { bands: more } = made(120_000);
    const shares = Array.from({ length: CLASSES }, () => new Float32Array(120_000));
    sharesByForest(more, forest, shares);
    for (let time = 0; time < 3; time++) {
      const out = new Uint8Array(120_000);
      labelByForest(more, forest, out);
      let other = 0;
      for (let i = 0; i < out.length; i++) {
        const own = Float64Array.from(shares, (plane) => plane[i]!);
        const [first, second] = own.slice().sort().reverse();
        other += out[i] === topOf(own) || first! - second! < 1e-5 ? 0 : 1;
      }
      expect(other).toBe(0);
    }
  });

  test("shares are the mean of the trees', and sum to one", () => {
    const out = Array.from({ length: CLASSES }, () => new Float32Array(n));
    sharesByForest(bands, forest, out);
    const shares = new Float64Array(CLASSES);
    for (let i = 0; i < n; i++) {
      forestShares(forest, cellAt(i), shares);
      shares.forEach((share, k) => {
        expect(Math.abs(share - out[k]![i]!) < 1e-6 || Number.isNaN(share)).toBe(true);
      });
    }
    expect(out.map((plane) => plane[7])).toEqual(Array(CLASSES).fill(NaN));
    expect(out.reduce((sum, plane) => sum + plane[100]!, 0)).toBeCloseTo(1, 5);
  });
});
