import { LONLAT, transformer, utm } from "../geodesy/crs";
import { norm, sub, toEcef } from "../geodesy/ecef";
import { northUp } from "../grid/grid";
import { halveRms } from "../raster/pyramid";
import { bilinear } from "../raster/resample";
import { circularOrbit, vectorsOf } from "../testing/circularOrbit";
import { latticeAt } from "../testing/latticeAt";
import { lcg } from "../testing/support";
import { Workspace } from "../wasm/kernels";
import { latticeCells, sensorLattice } from "./lattice";
import { utcSeconds } from "./orbit";
import { RangeDoppler, type SensorModel, cellLocator } from "./sensor";
import { correctTerrain, rowLocator } from "./terrain";
import { sensorFrame } from "../grid/frames";

const period = utcSeconds("2025-05-02T18:41:10");
const truth = circularOrbit({ lonDeg: -21, latDeg: -43.6 }, 7_064_000, 39, 101, 1);
const near = norm(sub(truth.at(0).position, toEcef(-21, -43.6, 0))) - 1600;
const model: SensorModel = {
  mission: "TEST",
  mode: "IW",
  pass: "descending",
  look: "right",
  wavelengthM: 0.0555,
  orbit: vectorsOf(truth, period, -80, 80, 10),
  orbitSource: "annotation",
  firstLineT: period - 0.3,
  lineIntervalS: 0.0015,
  sampleSpacingM: 10,
  lineSpacingM: 10,
  groundRange: [{ t: period - 60, origin: near, coefficients: [0, 1.589, -2.1e-7] }],
  lines: 400,
  samples: 520,
};
const rd = new RangeDoppler(model);
const [e0, n0] = transformer(LONLAT, utm(27, true))(-21, -43.6);
const out = northUp(utm(27, true), Math.round(e0) - 900, Math.round(n0) + 800, 10, 10, 180, 160);
const window = { col: 20, row: 30, width: 120, height: 90 };
const random = lcg(12);
const heights = Float32Array.from({ length: window.width * window.height }, () => random() * 700);
/**
 * An image whose first band is its own sample and whose second is its own line: what comes out is
 * where it came from.
 */
const whereAmI = (t: readonly [number, number, number, number]) => {
  const width = Math.floor((model.samples - t[0]) / t[1]);
  const height = Math.floor((model.lines - t[2]) / t[3]);
  const grid = {
    crs: sensorFrame("t"),
    transform: [t[0], t[1], 0, t[2], 0, t[3]] as const,
    width,
    height,
  };
  const sample = Float32Array.from(
    { length: width * height },
    (_v, i) => t[0] + ((i % width) + 0.5) * t[1] - 0.5,
  );
  const line = Float32Array.from(
    { length: width * height },
    (_v, i) => t[2] + (Math.floor(i / width) + 0.5) * t[3] - 0.5,
  );
  return { grid, window: { col: 0, row: 0, width, height }, bands: [sample, line] };
};
const exact = cellLocator(rd, out);

describe("terrain correction", () => {
  test("nearest takes the cell whose centre lies nearest; cubic meets a ramp", () => {
    const make = (r: "nearest" | "cubic") => {
      const b = [new Float32Array(heights.length), new Float32Array(heights.length)];
      correctTerrain(rd, out, window, heights, whereAmI([0, 1, 0, 1]), 1, b, r);
      return b;
    };
    const near1 = make("nearest");
    const cubic = make("cubic");
    let seen = 0;
    for (let i = 0; i < heights.length; i += 7) {
      const position = exact(
        window.col + (i % window.width) + 0.5,
        window.row + Math.floor(i / window.width) + 0.5,
        heights[i]!,
      );
      if (
        Number.isNaN(near1[0]![i]!) ||
        !(
          position.sample > 3 &&
          position.sample < model.samples - 4 &&
          position.line > 3 &&
          position.line < model.lines - 4
        )
      ) {
        continue;
      }
      seen++;
      // A place on the boundary of two cells may go to either.
      expect(Math.abs(near1[0]![i]! - position.sample)).toBeLessThan(0.55);
      expect(Number.isInteger(near1[0]![i]!) && Number.isInteger(near1[1]![i]!)).toBe(true);
      expect(Math.abs(cubic[0]![i]! - position.sample)).toBeLessThan(0.05);
      expect(Math.abs(cubic[1]![i]! - position.line)).toBeLessThan(0.05);
    }
    expect(seen).toBeGreaterThan(700);
  });
  test.each([
    ["the product's own cells", [0, 1, 0, 1]],
    ["a cut", [40, 1, 25, 1]],
    ["looks of two by three", [0, 2, 0, 3]],
  ] as const)("every cell takes the place that exact geometry gives it: %s", (_n, t) => {
    const bands = [new Float32Array(heights.length), new Float32Array(heights.length)];
    correctTerrain(rd, out, window, heights, whereAmI(t), 1, bands);
    let worst = 0;
    let seen = 0;
    for (let r = 0; r < window.height; r += 3) {
      for (let c = 0; c < window.width; c += 2) {
        const i = r * window.width + c;
        const position = exact(window.col + c + 0.5, window.row + r + 0.5, heights[i]!);
        if (Number.isNaN(bands[0]![i]!)) {
          continue;
        }
        seen++;
        // Positions are read off ramps of whole cells, so half a look at the rim is all that may be
        // missing.
        worst = Math.max(
          worst,
          Math.abs(bands[0]![i]! - position.sample) / t[1],
          Math.abs(bands[1]![i]! - position.line) / t[3],
        );
      }
    }
    expect(seen).toBeGreaterThan(1500);
    expect(worst).toBeLessThan(0.05);
  });
  test("coarse cells take the mean of what they cover", () => {
    const coarse = northUp(out.crs, out.transform[0], out.transform[3], 40, 40, 40, 35);
    const w = { col: 5, row: 5, width: 20, height: 18 };
    const level = new Float32Array(360).fill(50);
    const fine = [new Float32Array(360), new Float32Array(360)];
    const one = [new Float32Array(360), new Float32Array(360)];
    correctTerrain(rd, coarse, w, level, whereAmI([0, 1, 0, 1]), 4, fine);
    correctTerrain(rd, coarse, w, level, whereAmI([0, 1, 0, 1]), 1, one);
    // On a ramp the mean over a cell is the value at its middle.
    fine[0]!.forEach((value, i) => {
      if (value === value) {
        expect(Math.abs(value - one[0]![i]!)).toBeLessThan(0.02);
      }
    });
    // A checkerboard of image cells comes out grey, where single samples would be black or white.
    const image = whereAmI([0, 1, 0, 1]);
    const board = {
      ...image,
      bands: [
        image.bands[0]!.map(
          (_v, i) => ((i % image.grid.width) + Math.floor(i / image.grid.width)) % 2,
        ),
      ],
    };
    const grey = [new Float32Array(360)];
    correctTerrain(rd, coarse, w, level, board, 4, grey);
    expect(grey[0]!.filter((value) => value > 0.3 && value < 0.7).length).toBeGreaterThan(
      0.9 * grey[0]!.filter((value) => value === value).length,
    );
  });
  test("cells without a height, and places the image does not show, are nodata", () => {
    const holes = heights.map((height, i) => (i % 7 === 0 ? NaN : height));
    const bands = [new Float32Array(heights.length), new Float32Array(heights.length)];
    correctTerrain(rd, out, window, holes, whereAmI([0, 1, 0, 1]), 1, bands);
    for (let i = 0; i < holes.length; i += 7) {
      expect(bands[0]![i]).toBeNaN();
    }
    const far = northUp(out.crs, out.transform[0] + 60_000, out.transform[3], 10, 10, 60, 40);
    const none = [new Float32Array(2400), new Float32Array(2400)];
    correctTerrain(
      rd,
      far,
      { col: 0, row: 0, width: 60, height: 40 },
      new Float32Array(2400),
      whereAmI([0, 1, 0, 1]),
      1,
      none,
    );
    expect(none[0]!.every(Number.isNaN)).toBe(true);
  });
});

test("the compiled lattice gives the positions of the plain one", () => {
  const lattice = sensorLattice(rd, out, window, [0, 700]);
  const locate = rowLocator(lattice, window.col, window.width);
  const x = new Float64Array(window.width);
  const y = new Float64Array(window.width);
  for (const r of [0, 17, 89]) {
    const row = heights.subarray(r * window.width, (r + 1) * window.width);
    locate(window.row + r, row, x, y);
    for (let c = 0; c < window.width; c++) {
      const point = latticeAt(lattice, window.col + c + 0.5, window.row + r + 0.5, row[c]!);
      expect(Math.abs(x[c]! - point.sample)).toBeLessThan(4e-8);
      expect(Math.abs(y[c]! - point.line)).toBeLessThan(4e-8);
    }
  }
});

test("lattice spacing shrinks with the cells that it serves", () => {
  const of = (m: number) => latticeCells(northUp(utm(27, true), 0, 0, m, m, 10, 10));
  expect([of(10), of(20), of(40), of(90), of(500), of(1000)]).toEqual([32, 32, 16, 4, 1, 1]);
  expect(latticeCells(northUp(LONLAT, 0, 0, 0.0001, 0.0001, 10, 10))).toBe(32);
});

test("bilinear samples: centres, between centres, rims and gaps", () => {
  const src = Float32Array.from([1, 2, 3, 4, 5, NaN]);
  const xs = Float64Array.from([0.5, 1, 2.5, 0.1, 1.9, -0.2, NaN]);
  const ys = Float64Array.from([0.5, 0.5, 0.5, 0.2, 1.4, 0.5, 0.5]);
  const output = new Float32Array(7);
  bilinear(src, 3, 2, xs, ys, output);
  expect([output[0], output[1], output[2], output[3]]).toEqual([1, 1.5, 3, 1]);
  // Near the gap the weights of the cells that are there are scaled up: 0.6·2 + 0.4·… without the
  // missing corner.
  expect(output[4]).toBeCloseTo(
    (0.6 * 0.1 * 2 + 0.4 * 0.1 * 3 + 0.6 * 0.9 * 5) / (0.06 + 0.04 + 0.54),
    5,
  );
  expect([output[5], output[6]]).toEqual([NaN, NaN]);
});

test("amplitudes are halved by the mean of their power", () => {
  const output = new Float32Array(2);
  halveRms(Float32Array.from([3, 4, 1, NaN, 0, 5, 7, NaN]), 4, 2, output);
  expect(output[0]).toBeCloseTo(Math.sqrt((9 + 16 + 0 + 25) / 4), 6);
  expect(output[1]).toBeCloseTo(5, 6);
});

test("resampling: cubic convolution meets a parabola, nearest takes the cell itself, bilinear lies between", () => {
  // Written out apart from the kernel: weights of Keys 1981 with a = −½.
  const keys = (x: number) => {
    const a = Math.abs(x);
    if (a <= 1) {
      return 1.5 * a ** 3 - 2.5 * a * a + 1;
    }
    if (a < 2) {
      return -0.5 * a ** 3 + 2.5 * a * a - 4 * a + 2;
    }
    return 0;
  };
  const width = 9;
  const height = 8;
  const src = Float32Array.from(
    { length: width * height },
    (_v, i) => ((i % width) - 3) ** 2 + Math.sin(i),
  );
  const xs = [4.3, 2.5, 6.05, 0.4, 4.7];
  const ys = [3.8, 4.5, 2.2, 3, 7.8];
  const workspace = Workspace.begin();
  const n = xs.length;
  const a = workspace.take(width * height * 4);
  const x = workspace.take(n * 8);
  const y = workspace.take(n * 8);
  const offset = workspace.take(n * 4);
  const run = (k: "sampleCubic" | "sampleBilinear") => {
    workspace.f32(a, width * height).set(src);
    workspace.f64(x, n).set(xs);
    workspace.f64(y, n).set(ys);
    workspace.kernels[k](a, width, height, x, y, offset, n);
    return [...workspace.f32(offset, n)];
  };
  const cubic = run("sampleCubic");
  const bilinear = run("sampleBilinear");
  for (let k = 0; k < 3; k++) {
    let want = 0;
    for (let r = 0; r < height; r++) {
      for (let c = 0; c < width; c++) {
        want += src[r * width + c]! * keys(xs[k]! - 0.5 - c) * keys(ys[k]! - 0.5 - r);
      }
    }
    expect(cubic[k]).toBeCloseTo(want, 4);
  }
  // Near the rim bilinear stands in.
  expect([cubic[3], cubic[4]]).toEqual([bilinear[3], bilinear[4]]);
  // Beside a bright target power does not swing below nought.
  src.fill(0);
  src[3 * width + 6] = 1000;
  expect(Math.min(...run("sampleCubic"))).toBeGreaterThanOrEqual(0);
  src[3 * width + 5] = NaN;
  expect(run("sampleCubic")[0]).toBe(run("sampleBilinear")[0]);
});
