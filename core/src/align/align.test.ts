import { utm } from "../geodesy/crs";
import { northUp, toMap } from "../grid/grid";
import { lcg } from "../testing/support";
import { Correlator } from "./correlate";
import { type OffsetReader, fitOffsets, measureOffset, offsetPath, windowPlaces } from "./offset";
import { isPath, pathFunction } from "./mapping";
import { fitPoints, worstPoint } from "./points";

// Looked up once: globals are slow to find where tests run.
const { cos: cosine } = Math;
const Cells = Float32Array;
/**
 * A texture that is known everywhere: blobs of many sizes, so that it can be looked up between
 * cells.
 */
function texture(seed: number): (x: number, y: number) => number {
  const random = lcg(seed);
  const waves = Array.from({ length: 28 }, () => {
    const w = 5 * 16 ** random();
    const t = 2 * Math.PI * random();
    return {
      kx: (2 * Math.PI * Math.cos(t)) / w,
      ky: (2 * Math.PI * Math.sin(t)) / w,
      p: 2 * Math.PI * random(),
      a: Math.sqrt(w),
    };
  });
  return (x, y) => {
    let s = 0;
    for (let k = 0; k < waves.length; k++) {
      const wave = waves[k]!;
      s += wave.a * cosine(wave.kx * x + wave.ky * y + wave.p);
    }
    return s;
  };
}
const noise = (seed: number, size: number) => {
  const random = lcg(seed);
  return () => size * (random() + random() + random() - 1.5);
};
const COUNT = 64;

describe("phase correlation of a window", () => {
  const fraction = texture(5);
  const correlator = new Correlator(COUNT);
  const cells = (dx: number, dy: number, n: () => number) =>
    Float32Array.from(
      { length: COUNT * COUNT },
      (_v, i) => fraction(300 + (i % COUNT) - dx, 200 + Math.floor(i / COUNT) - dy) + n(),
    );
  test.each([
    [0, 0, 0.05],
    [0.5, -0.25, 0.12],
    [2.37, 1.81, 0.2],
    [-6.12, 4.4, 0.7],
    [11.7, -9.9, 1],
  ])(
    "finds (%d, %d) within %d cells under noise; the nearer both lie, the better",
    (dx, dy, off) => {
      // The noise is nearly half of the texture's own spread.
      const windowShift = correlator.shift(cells(0, 0, noise(1, 16)), cells(dx, dy, noise(2, 16)))!;
      expect(Math.abs(windowShift.dCol - dx)).toBeLessThan(off);
      expect(Math.abs(windowShift.dRow - dy)).toBeLessThan(off);
      expect([windowShift.ratio > 1.8, windowShift.similarity > 0.5]).toEqual([true, true]);
    },
  );
  test("even, empty and unlike windows give no answer, or one that does not stand out", () => {
    const even = new Float32Array(COUNT * COUNT).fill(7);
    const holes = cells(0, 0, () => 0);
    for (let i = 0; i < COUNT * COUNT; i += 5) {
      holes[i] = NaN;
    }
    expect([
      correlator.shift(
        even,
        cells(0, 0, () => 0),
      ),
      correlator.shift(
        holes,
        cells(0, 0, () => 0),
      ),
    ]).toEqual([null, null]);
    const a = Float32Array.from({ length: COUNT * COUNT }, noise(3, 1));
    const b = Float32Array.from({ length: COUNT * COUNT }, noise(4, 1));
    const windowShift = correlator.shift(a, b);
    expect(windowShift === null || windowShift.ratio < 1.8).toBe(true);
  });
});

describe("offset of a date", () => {
  const width = 760;
  const height = 420;
  const grid = northUp(utm(27, true), 500000, 5170000, 20, 20, width, height);
  const fraction = texture(11);
  /** What the other date shows at a cell is what the reference shows where `back` takes it. */
  const reader = (
    back: (c: number, r: number) => [number, number],
    n: number,
    other = fraction,
  ): OffsetReader => {
    const na = noise(7, n);
    const nb = noise(8, n);
    return {
      async read(which, level, w) {
        const k = 2 ** level;
        const group = which === "reference" ? na : nb;
        const out = new Cells(w.width * w.height);
        for (let j = 0, i = 0; j < w.height; j++) {
          for (let squares = 0; squares < w.width; squares++, i++) {
            const c = (w.col + squares + 0.5) * k;
            const r = (w.row + j + 0.5) * k;
            out[i] =
              c < 0 || r < 0 || c > width || r > height
                ? NaN
                : (which === "reference" ? fraction(c, r) : other(...back(c, r))) + group();
          }
        }
        return out;
      },
    };
  };
  /**
   * Turns by some degrees about the middle and moves: where a cell of the reference lies on the
   * other date, and back.
   */
  const turned = (deg: number, dx: number, dy: number, scale = 1) => {
    const t = (deg * Math.PI) / 180;
    const cos = Math.cos(t) * scale;
    const sin = Math.sin(t) * scale;
    const cx = width / 2;
    const cy = height / 2;
    return {
      there: (c: number, r: number): [number, number] => [
        cx + cos * (c - cx) - sin * (r - cy) + dx,
        cy + sin * (c - cx) + cos * (r - cy) + dy,
      ],
      back: (c: number, r: number): [number, number] => {
        const x = c - dx - cx;
        const y = r - dy - cy;
        const k = scale * scale;
        return [cx + (cos * x + sin * y) / k, cy + (-sin * x + cos * y) / k];
      },
    };
  };
  const corners = [
    [20, 20],
    [width - 20, 20],
    [20, height - 20],
    [width - 20, height - 20],
    [width / 2, height / 2],
  ] as const;
  test.each([
    ["a shift", 0, 1.7, -0.8, 1],
    ["a shift and a turn", 0.05, 1.7, -0.8, 1],
    ["a large shift, turned and scaled", 0.8, -23.4, 17.2, 1.004],
  ])("%s comes back within 0.1 cell everywhere", async (_n, deg, dx, dy, scale) => {
    const t = turned(deg, dx, dy, scale);
    const { fit, matches } = await measureOffset(reader(t.back, 12), grid, {
      model: deg ? "affine" : "shift",
      mostWindows: 45,
    });
    const path = pathFunction(offsetPath(fit, grid));
    for (const [c, r] of corners) {
      const [x, y] = path(...toMap(grid, c, r));
      const want = toMap(grid, ...t.there(c, r));
      expect(Math.hypot(x - want[0], y - want[1]) / 20).toBeLessThan(0.1);
    }
    expect(fit.rmseCells).toBeLessThan(0.3);
    expect(matches.length).toBeGreaterThan(20);
  });
  test("ground that changed in a third of the picture does not pull the fit", async () => {
    const t = turned(0, 2.4, 1.1);
    const group = texture(99);
    const offsetReader = reader(
      (c, row) => t.back(c, row),
      12,
      (x, y) => (x < width / 3 ? group(x, y) : fraction(x, y)),
    );
    const { fit } = await measureOffset(offsetReader, grid, { model: "shift", mostWindows: 45 });
    expect(Math.hypot(fit.dCol[0] - 2.4, fit.dRow[0] - 1.1)).toBeLessThan(0.1);
  });
  test("featureless and unlike pairs are refused in words", async () => {
    const flat: OffsetReader = {
      read: async (_w, _l, w) => new Float32Array(w.width * w.height).fill(3),
    };
    const speckle: OffsetReader = (() => {
      const n = noise(21, 1);
      return {
        read: async (_w: unknown, _l: unknown, w: { width: number; height: number }) =>
          Float32Array.from({ length: w.width * w.height }, n),
      };
    })();
    for (const offsetReader of [flat, speckle, reader((c, row) => [c, row], 12, texture(77))]) {
      await expect(
        measureOffset(offsetReader, grid, { model: "affine", mostWindows: 30 }),
      ).rejects.toThrow(/not enough texture/);
    }
    await expect(measureOffset(flat, { ...grid, width: 40 }, { model: "shift" })).rejects.toThrow(
      /smaller than one window|not enough/,
    );
  });
  test("the robust fit equals least squares over the good windows by hand", () => {
    const random = lcg(31);
    const good = Array.from({ length: 30 }, () => {
      const col = 900 * random();
      const row = 700 * random();
      return { col, row, dCol: 1 + 0.001 * col - 0.002 * row, dRow: -2 + 0.0005 * row };
    });
    const bad = Array.from({ length: 12 }, () => ({
      col: 900 * random(),
      row: 700 * random(),
      dCol: 30 * random(),
      dRow: 30 * random(),
    }));
    const fit = fitOffsets([...good, ...bad], "affine")!;
    [1, 0.001, -0.002].forEach((value, k) => expect(fit.dCol[k]).toBeCloseTo(value, 9));
    [-2, 0, 0.0005].forEach((value, k) => expect(fit.dRow[k]).toBeCloseTo(value, 9));
    expect([fit.kept.slice(0, 30).every((k) => k), fit.kept.slice(30).some((k) => k)]).toEqual([
      true,
      false,
    ]);
    expect(fitOffsets(good.slice(0, 3), "affine")).toBeNull();
  });
  test("windows cover the grid to its edges", () => {
    const point = windowPlaces(500, 300, 64, 50);
    expect([
      point.length <= 50,
      Math.max(...point.map((query) => query[0])),
      Math.max(...point.map((query) => query[1])),
      windowPlaces(50, 300, 64, 50),
    ]).toEqual([true, 436, 236, []]);
  });
});

describe("control points", () => {
  const random = lcg(3);
  const places = Array.from({ length: 14 }, (): [number, number] => [
    500000 + 8000 * random(),
    5170000 + 6000 * random(),
  ]);
  const curve = (x: number, y: number): [number, number] => {
    const a = (x - 504000) / 1000;
    const b = (y - 5173000) / 1000;
    return [
      800 + 95 * a + 12 * b + 1.5 * a * b - 0.7 * a * a,
      -600 - 14 * a + 97 * b + 0.9 * b * b,
    ];
  };
  const turn = (x: number, y: number): [number, number] => {
    const t = 0.21;
    const k = 0.04;
    return [
      300 + k * (Math.cos(t) * (x - 504000) - Math.sin(t) * (y - 5173000)),
      -200 + k * (Math.sin(t) * (x - 504000) + Math.cos(t) * (y - 5173000)),
    ];
  };
  const pairs = (fraction: typeof curve, n: () => number = () => 0) =>
    places.map((to) => {
      const [x, y] = fraction(...to);
      return { from: [x + n(), y + n()] as [number, number], to };
    });
  test("each model gives back what it can express, in large coordinates", () => {
    for (const [model, fraction] of [
      ["similarity", turn],
      ["polynomial1", turn],
      ["polynomial2", curve],
      ["polynomial3", curve],
      ["spline", curve],
    ] as const) {
      const fit = fitPoints(pairs(fraction), model);
      const path = pathFunction(fit.path);
      const point: [number, number] = [503210, 5171987];
      const want = fraction(...point);
      const got = path(...point);
      // A spline through points meets a curved surface only nearly between them.
      expect(Math.hypot(got[0] - want[0], got[1] - want[1])).toBeLessThan(
        model === "spline" ? 3 : 1e-6,
      );
      fit.residuals.forEach((residual) => expect(Math.hypot(...residual)).toBeLessThan(1e-6));
      expect(isPath(JSON.parse(JSON.stringify(fit.path)))).toBe(true);
    }
  });
  test("a similarity onto a picture, whose rows count downwards, does not mirror", () => {
    const fit = fitPoints(
      pairs((x, y) => {
        const [a, b] = turn(x, y);
        return [a, -b];
      }),
      "similarity",
      0,
      true,
    );
    const got = pathFunction(fit.path)(503210, 5171987);
    const want = turn(503210, 5171987);
    expect(Math.hypot(got[0] - want[0], got[1] + want[1])).toBeLessThan(1e-6);
    expect(fit.rmse!).toBeLessThan(1e-6);
  });
  test("eight points with half a cell of noise place the picture within 0.3 cell (root mean square over many draws)", () => {
    let sum = 0;
    let n = 0;
    for (let k = 0; k < 60; k++) {
      const r = noise(1000 + k, 1);
      const some = pairs(turn, () => r()).slice(0, 8);
      const path = pathFunction(fitPoints(some, "similarity").path);
      const value = lcg(k);
      for (let j = 0; j < 10; j++) {
        const point: [number, number] = [501000 + 6000 * value(), 5171000 + 4000 * value()];
        const want = turn(...point);
        const got = path(...point);
        sum += (got[0] - want[0]) ** 2 + (got[1] - want[1]) ** 2;
        n++;
      }
    }
    expect(Math.sqrt(sum / n / 2)).toBeLessThan(0.3);
  });
  test("leaving a point out is leaving it out; too few points have no residual to speak of", () => {
    const r = noise(5, 1);
    const all = pairs(turn, () => r());
    const fit = fitPoints(all, "polynomial1");
    const by = pathFunction(
      fitPoints(
        all.filter((_p, k) => k !== 4),
        "polynomial1",
      ).path,
    )(...all[4]!.to);
    expect(fit.leftOut[4]).toEqual([by[0] - all[4]!.from[0], by[1] - all[4]!.from[1]]);
    expect(fit.rmseLeftOut!).toBeGreaterThan(fit.rmse!);
    const three = fitPoints(all.slice(0, 3), "polynomial1");
    expect([three.rmse, three.rmseLeftOut, three.leftOut]).toEqual([
      null,
      null,
      [null, null, null],
    ]);
  });
  test("the point that spoils the fit is pointed at, and only then", () => {
    const r = noise(6, 0.5);
    const all = pairs(turn, () => r());
    const spoiled = all.map((point, k) =>
      k === 9
        ? { ...point, from: [point.from[0] + 25, point.from[1] - 8] as [number, number] }
        : point,
    );
    expect([
      worstPoint(fitPoints(spoiled, "polynomial1")),
      worstPoint(fitPoints(spoiled, "spline")),
      worstPoint(fitPoints(all, "polynomial1")),
    ]).toEqual([9, 9, -1]);
    // Six points are enough to tell; with noise alone hardly ever one of eight is blamed.
    expect(worstPoint(fitPoints(spoiled.slice(6, 12), "polynomial1"))).toBe(3);
    let blamed = 0;
    for (let k = 0; k < 100; k++) {
      const query = noise(4000 + k, 1);
      if (worstPoint(fitPoints(pairs(turn, () => query()).slice(0, 8), "polynomial1")) >= 0) {
        blamed++;
      }
    }
    expect(blamed).toBeLessThan(6);
  });
  test("smoothing takes a spline away from its points towards a plane", () => {
    const r = noise(8, 3);
    const all = pairs(turn, () => r());
    const soft = fitPoints(all, "spline", 1e4);
    const plane = fitPoints(all, "polynomial1");
    expect(fitPoints(all, "spline", 0.05).rmse!).toBeLessThan(soft.rmse!);
    expect(soft.rmse!).toBeCloseTo(plane.rmse!, 3);
  });
  test("what cannot be laid is refused in words", () => {
    const line = [0, 1, 2, 3, 4, 5, 6].map((k) => ({
      from: [k, 2 * k] as [number, number],
      to: [100 * k, 50 * k] as [number, number],
    }));
    expect(() => fitPoints(line, "polynomial1")).toThrow(/one line/);
    expect(() => fitPoints(line, "spline")).toThrow(/one line/);
    expect(() => fitPoints(pairs(turn).slice(0, 5), "polynomial2")).toThrow(
      /needs 6 points or more, and there are 5/,
    );
    expect(() => fitPoints([...pairs(turn), pairs(turn)[0]!], "spline")).toThrow(/same place/);
    expect([
      isPath(null),
      isPath({ kind: "polynomial", order: 1, centre: [0, 0], scale: 1, x: [1, 2], y: [1, 2, 3] }),
      isPath({ kind: "spline", centre: [0, 0], scale: 0, at: [], x: [1, 2, 3], y: [1, 2, 3] }),
    ]).toEqual([false, false, false]);
  });
});
