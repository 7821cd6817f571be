import { Matrix, QrDecomposition, SingularValueDecomposition } from "ml-matrix";
import { chiSquareAbove } from "../change/chiSquare";
import { irMad, madStatistic } from "../change/irMad";

import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { lcg, memorySources, testGrid } from "../testing/support";
import { alignedNode } from "./alignment";
import { onCurve } from "./curve";
import { levelDates } from "./levelling";
import { realCells } from "../raster/block";
import { node, sourceNode } from "../graph/node";

test("chi-square: closed forms for two and four degrees, table values for one and three", () => {
  for (const x of [0, 0.3, 2, 9, 40]) {
    expect(chiSquareAbove(x, 2)).toBeCloseTo(Math.exp(-x / 2), 12);
    expect(chiSquareAbove(x, 4)).toBeCloseTo(Math.exp(-x / 2) * (1 + x / 2), 12);
  }
  expect(chiSquareAbove(3.841459, 1)).toBeCloseTo(0.05, 6);
  expect(chiSquareAbove(7.814728, 3)).toBeCloseTo(0.05, 6);
  expect(chiSquareAbove(18.30704, 10)).toBeCloseTo(0.05, 6);
  expect(chiSquareAbove(NaN, 3)).toBeNaN();
});

/**
 * Two dates of three bands: the second on another level, with noise, and changed in a fifth of the
 * cells.
 */
function dates(n = 4000, changed = 0.2) {
  const random = lcg(17);
  const group = () => random() + random() + random() - 1.5;
  const level = [
    [1.15, 0.02],
    [0.9, -0.01],
    [1.3, 0.05],
  ] as const;
  const before = [0, 1, 2].map(() => new Float32Array(n));
  const after = [0, 1, 2].map(() => new Float32Array(n));
  for (let i = 0; i < n; i++) {
    const s = random();
    const t = random();
    [0.1 + 0.2 * s, 0.05 + 0.3 * t, 0.1 + 0.1 * s + 0.2 * t].forEach((value, k) => {
      before[k]![i] = value + 0.002 * group();
      const other = i < changed * n ? value + 0.1 * group() + 0.08 : value;
      after[k]![i] = (other - level[k]![1]) / level[k]![0] + 0.002 * group();
    });
  }
  return { before, after, level };
}

test("canonical correlations equal those of an orthogonal basis of either date (another method)", () => {
  const { before, after } = dates();
  const mad = irMad(before, after, 1);
  const centred = (b: Float32Array[]) => {
    const mean = b.map((x) => x.reduce((s, value) => s + value, 0) / x.length);
    return new QrDecomposition(
      new Matrix(
        Array.from({ length: b[0]!.length }, (_v, i) => b.map((x, k) => x[i]! - mean[k]!)),
      ),
    ).orthogonalMatrix;
  };
  const want = new SingularValueDecomposition(
    centred(before).transpose().mmul(centred(after)),
  ).diagonal.sort((a, b) => a - b);
  mad.rho.forEach((r, k) => expect(r).toBeCloseTo(want[k]!, 5));
});
test("where nothing changed the statistic of plain MAD follows chi-square", () => {
  const { before, after } = dates(4000, 0);
  const mad = irMad(before, after, 1);
  const part = before[0]!.map((_v, i) => chiSquareAbove(madStatistic(mad, before, after, i), 3));
  for (const at of [0.05, 0.5, 0.9]) {
    expect(Math.abs(part.filter((value) => value < at).length / 4000 - at)).toBeLessThan(0.025);
  }
});
test("changed cells stand out, and the level of either date does not matter", () => {
  const { before, after } = dates();
  const mad = irMad(before, after);
  const t = Array.from({ length: 4000 }, (_v, i) => madStatistic(mad, before, after, i));
  const median = (values: number[]) => [...values].sort((x, y) => x - y)[values.length >> 1]!;
  expect(median(t.slice(0, 800))).toBeGreaterThan(30 * median(t.slice(800)));
  expect(mad.iterations).toBeGreaterThan(2);
  const scaled = irMad(
    before.map((b) => b.map((value) => 250 * value + 7)),
    after,
  );
  const s = madStatistic(
    scaled,
    before.map((b) => b.map((value) => 250 * value + 7)),
    after,
    100,
  );
  expect(Math.abs(s / t[100]! - 1)).toBeLessThan(0.02);
});
test("levelling finds slope and offset in spite of change; matching histograms does not", () => {
  const { before, after, level } = dates();
  const fit = levelDates(["a", "b", "c"], before, after, "unchanged");
  const simple = levelDates(["a", "b", "c"], before, after, "histogram");
  fit.bands.forEach((band, k) => {
    expect(Math.abs(band.multiply - level[k]![0])).toBeLessThan(0.03);
    expect(Math.abs(band.add - level[k]![1])).toBeLessThan(0.006);
    expect(band.rmseAfter).toBeLessThan(0.3 * band.rmseBefore);
    expect(band.correlation).toBeGreaterThan(0.99);
  });
  expect(Math.abs(simple.bands[0]!.add - level[0][1])).toBeGreaterThan(0.006);
  expect([
    fit.of,
    fit.cells < 3300 && fit.cells >= 100,
    fit.bands[0]!.scatter.length > 100,
  ]).toEqual([4000, true, true]);
});
test("what cannot be levelled is refused in words", () => {
  const { before, after } = dates();
  const random = lcg(4);
  const other = before.map(() => Float32Array.from({ length: 4000 }, () => random()));
  expect(() =>
    levelDates(
      ["a", "b", "c"],
      before,
      after.map((b) => b.map((value, i) => (i < 3950 ? NaN : value))),
      "unchanged",
    ),
  ).toThrow(/Only 50 cells/);
  expect(() =>
    levelDates(
      ["a", "b", "c"],
      before.map((b, k) => (k === 1 ? b.fill(3) : b)),
      after,
      "unchanged",
    ),
  ).toThrow(/same number everywhere/);
  expect(() => irMad(before, after.slice(1))).toThrow(/same bands/);
  expect(() =>
    levelDates(
      ["a"],
      [Float32Array.from(other[0]!)],
      [other[0]!.map((value) => -value)],
      "histogram",
    ),
  ).not.toThrow();
});

test("an aligned date: moved by its path, levelled by band; a picture without points is refused", async () => {
  const grid = testGrid(20, 12);
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: [
      { name: "red", unit: "", role: "reflectance" },
      { name: "q", unit: "", role: "quality" },
    ],
  };
  const cells = Float32Array.from({ length: 240 }, (_v, i) => (i % 20) + 100 * Math.floor(i / 20));
  const evaluator = new Evaluator({
    sources: memorySources({ s: { info, bands: [cells, cells] } }),
  });
  const place = {
    kind: "points" as const,
    referenceId: "r",
    model: "polynomial1" as const,
    smoothing: 0,
    kernel: "bilinear" as const,
    points: [
      [2, 2],
      [17, 3],
      [4, 10],
    ].map(([c, r], k) => ({
      id: String(k),
      name: "",
      on: true,
      to: [500000 + 20 * c!, 5170000 - 20 * r!] as [number, number],
      from: [500000 + 20 * (c! + 2), 5170000 - 20 * (r! + 1)] as [number, number],
    })),
  };
  const n = alignedNode(
    sourceNode("s"),
    info,
    {
      place,
      level: {
        referenceId: "r",
        method: "unchanged",
        cells: 1,
        bands: [{ band: "red", multiply: 2, add: 5 }],
      },
    },
    null,
  );
  const b = (await evaluator.read(n, 0, { col: 0, row: 0, width: 20, height: 12 })).bands.map(
    realCells,
  );
  // What stood two cells to the right and one down comes here.
  expect(b[0]![3 * 20 + 4]).toBeCloseTo(2 * (6 + 400) + 5, 3);
  expect([b[1]![3 * 20 + 4], b[0]![19], b[0]![11 * 20]]).toEqual([406, NaN, NaN]);
  expect(() =>
    alignedNode(
      sourceNode("s"),
      { ...info, grid: { ...grid, crs: { code: "PICTURE:x", proj4: "PICTURE:x", name: "" } } },
      null,
      grid,
    ),
  ).toThrow(/no position yet/);
  await expect(
    evaluator.info(
      node("align.level", { bands: [{ band: "nir", multiply: 1, add: 0 }] }, sourceNode("s")),
    ),
  ).rejects.toThrow(/no band nir/);
  await expect(
    evaluator.info(
      node(
        "grid.warp",
        { grid, kernel: "bilinear", path: { kind: "polynomial", order: 9 } },
        sourceNode("s"),
      ),
    ),
  ).rejects.toThrow(/no transform/);
});

describe("small parts in which nothing changed", () => {
  /** Two dates of three bands that differ by noise alone. */
  function alike(n: number, seed: number) {
    const random = lcg(seed);
    const group = () => random() + random() + random() - 1.5;
    const before = [0, 1, 2].map(() => new Float32Array(n));
    const after = [0, 1, 2].map(() => new Float32Array(n));
    for (let i = 0; i < n; i++) {
      const [s, t] = [random(), random()];
      [0.1 + 0.2 * s, 0.05 + 0.3 * t, 0.1 + 0.1 * s + 0.2 * t].forEach((value, k) => {
        before[k]![i] = value + 0.004 * group();
        after[k]![i] = 1.1 * value + 0.01 + 0.004 * group();
      });
    }
    return { before, after };
  }
  test.each([300, 1000, 4000])("are levelled from %i cells on", (n) => {
    for (let seed = 1; seed <= 24; seed++) {
      const { before, after } = alike(n, seed);
      const { bands, cells } = levelDates(["a", "b", "c"], before, after, "unchanged");
      expect(cells).toBeGreaterThanOrEqual(100);
      for (const { multiply } of bands) {
        expect(Math.abs(multiply - 1 / 1.1)).toBeLessThan(0.03);
      }
    }
  });
});

describe("all cells", () => {
  const n = 3000;
  const random = lcg(41);
  const reference = Float32Array.from({ length: n }, () => random());
  /** Values that do not go by a line: the root of those of the reference. */
  const date = reference.map((value) => Math.sqrt(value));
  test("histograms are matched along a curve, which a line cannot follow", () => {
    const curve = levelDates(["a"], [reference], [date], "histogram").bands[0]!;
    const line = levelDates(["a"], [reference], [date], "spread").bands[0]!;
    expect(curve.curve!.length).toBeGreaterThan(100);
    expect(line.curve).toBeUndefined();
    expect(curve.rmseAfter).toBeLessThan(1e-3);
    expect(line.rmseAfter).toBeGreaterThan(0.03);
    // The square, which undoes the root.
    for (const [x, y] of curve.curve!) {
      expect(Math.abs(y - x * x)).toBeLessThan(1e-3);
    }
  });
  test("a curve goes on beyond its ends as far off as they are", () => {
    const ends = [
      [0, 10],
      [2, 14],
      [4, 15],
    ] as const;
    expect([-1, 0, 1, 2, 3, 4, 6, NaN].map((value) => onCurve(ends, value))).toEqual([
      9,
      10,
      12,
      14,
      14.5,
      15,
      17,
      NaN,
    ]);
  });
});
