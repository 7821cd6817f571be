import { fractal, gammaMean1, generator, hash2, noise } from "./random";

const mean = (values: number[]) => values.reduce((sum, x) => sum + x, 0) / values.length;
const variance = (values: number[]) => {
  const middle = mean(values);
  return mean(values.map((x) => (x - middle) ** 2));
};
const many = (n: number, one: (k: number) => number) =>
  Array.from({ length: n }, (_v, k) => one(k));

describe("random numbers", () => {
  test("of one seed are the same every time, of another others", () => {
    const [a, b, c] = [generator(27), generator(27), generator(28)].map((random) =>
      many(5, () => random()),
    );
    expect(a).toEqual(b);
    expect(a).not.toEqual(c);
  });

  test("are spread evenly over [0, 1): mean ½ and variance 1/12", () => {
    const random = generator(5);
    const all = many(50_000, () => random());
    expect(Math.min(...all.slice(0, 1000))).toBeGreaterThanOrEqual(0);
    expect(Math.max(...all.slice(0, 1000))).toBeLessThan(1);
    expect(mean(all)).toBeCloseTo(0.5, 2);
    expect(variance(all)).toBeCloseTo(1 / 12, 2);
  });

  test("of lattice points do not go along with their neighbours", () => {
    const all = many(20_000, (k) => hash2(k % 200, Math.floor(k / 200), 9));
    expect(mean(all)).toBeCloseTo(0.5, 1);
    const steps = all.slice(1).map((x, k) => (x - 0.5) * (all[k]! - 0.5));
    expect(Math.abs(mean(steps) / variance(all))).toBeLessThan(0.03);
  });
});

describe("noise", () => {
  test("lies within [−1, 1] and takes the lattice's own numbers at its points", () => {
    for (let k = 0; k < 200; k++) {
      const x = noise(k * 0.37, k * 0.61, 3);
      expect(Math.abs(x)).toBeLessThanOrEqual(1);
    }
    expect(noise(4, 7, 3)).toBeCloseTo(2 * hash2(4, 7, 3) - 1, 12);
  });

  test("is smooth: a hundredth of a unit changes it little", () => {
    const steps = many(500, (k) =>
      Math.abs(noise(k * 0.73 + 0.01, k * 0.19, 3) - noise(k * 0.73, k * 0.19, 3)),
    );
    expect(Math.max(...steps)).toBeLessThan(0.05);
  });

  test("in octaves stays about [−1, 1] and is finer than one octave alone", () => {
    const all = many(2000, (k) => fractal(k * 0.11, k * 0.07, 4, 3));
    expect(Math.max(...all.map(Math.abs))).toBeLessThan(1.4);
    const rough = (of: (x: number) => number) =>
      mean(many(2000, (k) => Math.abs(of(k * 0.05 + 0.05) - of(k * 0.05))));
    const spread = Math.sqrt(variance(all));
    const plain = many(2000, (k) => noise(k * 0.11, k * 0.07, 3));
    expect(rough((x) => fractal(x, 0.5, 4, 3)) / spread).toBeGreaterThan(
      rough((x) => noise(x, 0.5, 3)) / Math.sqrt(variance(plain)),
    );
  });
});

test.each([1, 4.4, 20])("gamma deviates of shape %d have mean 1 and variance 1/shape", (shape) => {
  const random = generator(11);
  const all = many(60_000, () => gammaMean1(shape, random));
  expect(Math.min(...all)).toBeGreaterThan(0);
  expect(mean(all)).toBeCloseTo(1, 1.8);
  expect(variance(all) * shape).toBeCloseTo(1, 1);
});
