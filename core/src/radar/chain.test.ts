import { LONLAT, transformer, utm } from "../geodesy/crs";
import { cross, dot, norm, sub, toEcef } from "../geodesy/ecef";
import { Evaluator, type SourceReader } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { fullWindow, northUp, toMap } from "../grid/grid";
import { type Cells, realCells } from "../raster/block";
import { circularOrbit, vectorsOf } from "../testing/circularOrbit";
import { firstDifference } from "../testing/inWindows";
import { lcg, memorySources } from "../testing/support";
import { calibrate } from "./calibrate";
import { LAYOVER, SHADOW, hiddenCells, linesAlong } from "./hidden";
import type { ProductLuts } from "./luts";
import { utcSeconds } from "./orbit";
import { overTime } from "./overTime";
import { RangeDoppler, type SensorModel } from "./sensor";
import { boxcar, gammaMap, median, multiTemporal } from "./speckle";
import { onGrid } from "../graph/onGrid";
import { sensorFrame } from "../grid/frames";

const PLACE = { lonDeg: -21, latDeg: -43.6 };
const period = utcSeconds("2025-05-02T18:41:10");
const truth = circularOrbit(PLACE, 7_064_000, 39, 101, 1);
const NEAR = norm(sub(truth.at(0).position, toEcef(-21, -43.6, 0))) - 800;
const width = 256;
const height = 200;
const sensor: SensorModel = {
  mission: "TEST",
  mode: "IW",
  pass: "descending",
  look: "right",
  wavelengthM: 0.0555,
  orbit: vectorsOf(truth, period, -80, 80, 10),
  orbitSource: "annotation",
  firstLineT: period - 0.15,
  lineIntervalS: 0.0015,
  sampleSpacingM: 10,
  lineSpacingM: 10,
  groundRange: [{ t: period - 60, origin: NEAR, coefficients: [0, 1.5891, -2.1e-7] }],
  lines: height,
  samples: width,
};
const frame: ImageInfo = {
  grid: { crs: sensorFrame("test"), transform: [0, 1, 0, 0, 0, 1], width, height },
  type: "float32",
  bands: [{ name: "amplitude VV", unit: "DN", role: "amplitude", polarisation: "VV" }],
  sensor,
};
const [e0, n0] = transformer(LONLAT, utm(27, true))(-21, -43.6);
const ground = northUp(
  utm(27, true),
  Math.round(e0) - 1600,
  Math.round(n0) + 1500,
  20,
  20,
  160,
  150,
);
const hill = Float32Array.from(
  { length: 160 * 150 },
  (_v, i) => 160 * Math.exp(-(((i % 160) - 80) ** 2 + (Math.floor(i / 160) - 75) ** 2) / 420),
);
const elevation: ImageInfo = {
  grid: ground,
  type: "float32",
  bands: [{ name: "z", unit: "m", role: "elevation", range: [0, 160] }],
};
/** Ridges so steep that they throw shadow and lie over what is before them. */
const steep = Float32Array.from({ length: 160 * 150 }, (_v, i) => {
  const col = i % 160;
  const row = Math.floor(i / 160);
  const ridge = Math.max(0, 1 - Math.abs(((col + 0.3 * row) % 40) - 20) / 9);
  return 420 * ridge * (0.7 + 0.3 * Math.sin(row / 9));
});
const steepElevation: ImageInfo = {
  ...elevation,
  bands: [{ ...elevation.bands[0]!, range: [0, 420] }],
};
const grain = (seed: number) => {
  const random = lcg(seed);
  return Float32Array.from({ length: width * height }, (_v, i) =>
    i % 53 === 0 && i % 7 === 0 ? NaN : 100 + Math.floor(250 * Math.sqrt(-Math.log(1 - random()))),
  );
};
const ramp = (a: number, b: number) => [
  { line: -50, pixels: [0, 100, 255], values: [a, a * 1.1, a * 1.3] },
  { line: 120, pixels: [0, 90, 255], values: [b, b * 1.05, b * 1.2] },
  { line: 260, pixels: [0, 255], values: [a, b] },
];
const luts: ProductLuts = {
  VV: {
    sigma: ramp(500, 520),
    beta: ramp(400, 410),
    gamma: ramp(600, 610),
    noiseRange: ramp(9000, 8000),
    noiseAzimuth: [
      {
        firstLine: 0,
        lastLine: height - 1,
        firstSample: 0,
        lastSample: 99,
        lines: [0, 100, 199],
        values: [1, 1.2, 0.9],
      },
      {
        firstLine: 0,
        lastLine: height - 1,
        firstSample: 100,
        lastSample: width - 1,
        lines: [0, 199],
        values: [1.1, 1],
      },
    ],
  },
};
const sources: SourceReader = {
  ...memorySources({
    a: { info: frame, bands: [grain(1)] },
    b: { info: frame, bands: [grain(2)] },
    z: { info: elevation, bands: [hill] },
    steep: { info: steepElevation, bands: [steep] },
  }),
  luts: async () => luts,
};
const out = northUp(utm(27, true), Math.round(e0) - 700, Math.round(n0) + 600, 10, 10, 140, 120);
const amplitude = sourceNode("a");
const z = sourceNode("z");
const beta = (n: NodeSpec) =>
  node("radar.calibrate", { to: "beta", removeNoise: true, polarisations: null }, n);
const onMap = (n: NodeSpec, extras = false, heights = z) =>
  node(
    "radar.terrain",
    { grid: out, outside: "ellipsoid", extras },
    n,
    onGrid(heights, elevation, out),
  );

async function whole(evaluator: Evaluator, n: NodeSpec): Promise<Cells[]> {
  const info = await evaluator.info(n);
  return (await evaluator.read(n, 0, fullWindow(info.grid))).bands;
}
test("block by block equals whole image, for every step of the chain", async () => {
  const flat = node("radar.flatten", { outside: "ellipsoid" }, beta(amplitude), z);
  const a = onMap(beta(amplitude));
  const b = onMap(beta(sourceNode("b")));
  const nodes: Record<string, NodeSpec> = {
    orbit: node(
      "radar.orbit",
      { vectors: vectorsOf(truth, period, -70, 70, 10), kind: "precise" },
      amplitude,
    ),
    calibrate: beta(amplitude),
    looks: node("radar.looks", { rangeLooks: 3, azimuthLooks: 2 }, beta(amplitude)),
    mean: node("radar.mean", { windowCells: 5 }, beta(amplitude)),
    median: node("radar.median", { windowCells: 3 }, beta(amplitude)),
    gammaMap: node("radar.gammaMap", { windowCells: 5, looks: 4 }, beta(amplitude)),
    terrain: onMap(beta(amplitude), true),
    acrossDates: node("radar.acrossDates", { index: 1, windowCells: 5 }, a, b),
    power: node("radar.power", {}, node("radar.decibel", {}, a)),
    overTime: node("radar.overTime", { statistic: "median" }, a, b),
    flat,
    steepFlat: node(
      "radar.flatten",
      { outside: "ellipsoid" },
      beta(amplitude),
      sourceNode("steep"),
    ),
    steepTerrain: onMap(beta(amplitude), true, sourceNode("steep")),
  };
  for (const [name, n] of Object.entries(nodes)) {
    const one = await whole(new Evaluator({ sources }), n);
    const seen = realCells(one[0]!).reduce((s, value) => s + (value === value ? 1 : 0), 0);
    expect([name, seen > 0.3 * one[0]!.length]).toEqual([name, true]);
    for (const level of [0, 1]) {
      expect([name, await firstDifference(sources, n, level, 8)]).toEqual([name, null]);
    }
  }
}, 120_000);

test("steep ground: much of it is in layover and shadow, and flattening leaves shadow out", async () => {
  const evaluator = new Evaluator({ sources });
  const steepMap = await whole(evaluator, onMap(beta(amplitude), true, sourceNode("steep")));
  const bits = realCells(steepMap.at(-1)!).filter((value) => value === value);
  const share = (bit: number) => bits.filter((value) => (value & bit) > 0).length / bits.length;
  expect(share(SHADOW)).toBeGreaterThan(0.02);
  expect(share(LAYOVER)).toBeGreaterThan(0.1);
  const lone = (await whole(evaluator, onMap(beta(amplitude), true))).at(-1)!;
  expect(realCells(lone).every((value) => !(value > 0))).toBe(true);
});

describe("calibration", () => {
  test("against a direct evaluation by line and pixel, noise by parts", () => {
    const dn = grain(1);
    const got = new Float32Array(width * height);
    const lerp = (x: number, part: number[], values: number[]) => {
      if (x <= part[0]!) {
        return values[0]!;
      }
      for (let k = 1; k < part.length; k++) {
        if (x <= part[k]!) {
          return (
            values[k - 1]! +
            ((values[k]! - values[k - 1]!) * (x - part[k - 1]!)) / (part[k]! - part[k - 1]!)
          );
        }
      }
      return values.at(-1)!;
    };
    const at = (t: NonNullable<(typeof luts)["VV"]>["sigma"], line: number, x: number) => {
      const k = Math.max(
        1,
        t.findIndex((lutVector) => lutVector.line > line),
      );
      const lutVector = t[k - 1]!;
      const b = t[k]!;
      const fraction = (line - lutVector.line) / (b.line - lutVector.line);
      return (
        lerp(x, lutVector.pixels, lutVector.values) * (1 - fraction) +
        lerp(x, b.pixels, b.values) * fraction
      );
    };
    calibrate(dn, frame.grid, fullWindow(frame.grid), luts.VV!, "sigma", true, got);
    for (let r = 0; r < height; r += 3) {
      for (let c = 0; c < width; c++) {
        const value = dn[r * width + c]!;
        const part = luts.VV!.noiseAzimuth[c < 100 ? 0 : 1]!;
        const eta = at(luts.VV!.noiseRange, r, c) * lerp(r, part.lines, part.values);
        const expected = (value * value - eta) / at(luts.VV!.sigma, r, c) ** 2;
        if (Number.isNaN(value)) {
          expect(got[r * width + c]).toBeNaN();
        } else {
          expect(Math.abs(got[r * width + c]! - expected)).toBeLessThan(
            (3e-6 * value * value) / at(luts.VV!.sigma, r, c) ** 2,
          );
        }
      }
    }
  });
  test("a cut and a level of the frame read the tables at the product's own lines and pixels", () => {
    const cut = { ...frame.grid, transform: [40, 2, 0, 30, 0, 2] as const, width: 50, height: 40 };
    const dn = new Float32Array(2000).fill(300);
    const got = new Float32Array(2000);
    const full = new Float32Array(width * height);
    calibrate(dn, cut, fullWindow(cut), luts.VV!, "beta", false, got);
    calibrate(
      new Float32Array(width * height).fill(300),
      frame.grid,
      fullWindow(frame.grid),
      luts.VV!,
      "beta",
      false,
      full,
    );
    // Cell (5, 7) of the level covers samples 50–51 and lines 44–45: its centre is at 50.5, 44.5.
    const around = [
      [50, 44],
      [51, 44],
      [50, 45],
      [51, 45],
    ].reduce((s, [x, y]) => s + full[y! * width + x!]! / 4, 0);
    expect(got[7 * 50 + 5]! / around).toBeCloseTo(1, 4);
  });
});

describe("refusals", () => {
  const evaluator = new Evaluator({ sources });
  test.each([
    ["calibrating twice", beta(beta(amplitude)), /only once/],
    [
      "flattening without beta nought",
      node(
        "radar.flatten",
        { outside: "ellipsoid" },
        node(
          "radar.calibrate",
          { to: "sigma", removeNoise: false, polarisations: null },
          amplitude,
        ),
        z,
      ),
      /needs beta nought, not sigma/,
    ],
    [
      "smoothing decibels",
      node("radar.mean", { windowCells: 3 }, node("radar.decibel", {}, beta(amplitude))),
      /never on decibels/,
    ],
    ["terrain on the map", onMap(onMap(beta(amplitude))), /lies on the map already/],
    [
      "dates in sensor geometry",
      node(
        "radar.acrossDates",
        { index: 0, windowCells: 3 },
        beta(amplitude),
        beta(sourceNode("b")),
      ),
      /after Terrain/,
    ],
    [
      "an orbit of another time",
      node(
        "radar.orbit",
        { vectors: vectorsOf(truth, period + 500, -40, 40, 10), kind: "precise" },
        amplitude,
      ),
      /does not cover/,
    ],
    [
      "a polarisation that is not there",
      node("radar.calibrate", { to: "beta", removeNoise: false, polarisations: ["HH"] }, amplitude),
      /none of the polarisations HH/,
    ],
    [
      "more looks than cells",
      node(
        "radar.looks",
        { rangeLooks: 32, azimuthLooks: 32 },
        node("radar.looks", { rangeLooks: 32, azimuthLooks: 32 }, beta(amplitude)),
      ),
      /more looks than cells/,
    ],
  ])("%s", async (_n, n, reason) => {
    await expect(evaluator.info(n)).rejects.toThrow(reason);
  });
});

test("flattening gives back the gamma nought of a hill that an independent sum of facets lit", async () => {
  // Beta nought of a hill of one cover, gamma nought 0.2, summed from fine facets with exact
  // positions; then the step.
  const rd = new RangeDoppler(sensor);
  const power = new Float32Array(width * height);
  const at = (c: number, r: number) =>
    hill[Math.max(0, Math.min(149, r)) * 160 + Math.max(0, Math.min(159, c))]!;
  const toLonLat = transformer(ground.crs, LONLAT);
  const GROUPS = 5;
  const corner = (c: number, r: number) =>
    toEcef(...toLonLat(...toMap(ground, c + 0.5, r + 0.5)), at(c, r));
  for (let r = 22; r < 128; r++) {
    for (let c = 25; c < 135; c++) {
      // Area of the quad's two triangles in the Earth-fixed frame, as it is seen from where the
      // satellite is abeam.
      const p00 = corner(c, r);
      const p10 = corner(c + 1, r);
      const p01 = corner(c, r + 1);
      const p11 = corner(c + 1, r + 1);
      const abeam = rd.orbit.at(rd.zeroDoppler(p00)).position;
      const beam = sub(abeam, p00);
      const seen =
        Math.abs(
          dot(cross(sub(p10, p00), sub(p01, p00)), beam) +
            dot(cross(sub(p01, p11), sub(p10, p11)), beam),
        ) /
        2 /
        norm(beam);
      for (let squares = 0; squares < GROUPS; squares++) {
        for (let k = 0; k < GROUPS; k++) {
          const across = (k + 0.5) / GROUPS;
          const value = (squares + 0.5) / GROUPS;
          const a = at(c, r);
          const b = at(c + 1, r);
          const delta = at(c, r + 1);
          const e = at(c + 1, r + 1);
          const h =
            (a * (1 - across) + b * across) * (1 - value) +
            (delta * (1 - across) + e * across) * value;
          const area = seen / (GROUPS * GROUPS);
          const position = rd.locateGeodetic(
            ...toLonLat(...toMap(ground, c + 0.5 + across, r + 0.5 + value)),
            h,
          );
          const x = Math.floor(position.sample);
          const y = Math.floor(position.line);
          const fx = position.sample - x;
          const fy = position.line - y;
          for (const [i, j, s] of [
            [x, y, (1 - fx) * (1 - fy)],
            [x + 1, y, fx * (1 - fy)],
            [x, y + 1, (1 - fx) * fy],
            [x + 1, y + 1, fx * fy],
          ] as const) {
            if (i >= 0 && j >= 0 && i < width && j < height) {
              power[j * width + i]! += 0.2 * area * s;
            }
          }
        }
      }
    }
  }
  const slant = rd.slantRange(1285, period) - rd.slantRange(1275, period);
  const p0 = rd.ground(100, 128, 0);
  const p1 = rd.ground(101, 128, 0);
  const cell = slant * norm(sub(p0, p1));
  for (let i = 0; i < power.length; i++) {
    power[i]! /= cell;
  }
  const image: ImageInfo = {
    ...frame,
    bands: [{ name: "beta0 VV", unit: "", role: "power", polarisation: "VV" }],
    radiometry: "beta",
  };
  const sourceReader = memorySources({
    p: { info: image, bands: [power] },
    z: { info: elevation, bands: [hill] },
  });
  const flat = (
    await whole(
      new Evaluator({ sources: sourceReader }),
      node("radar.flatten", { outside: "nodata" }, sourceNode("p"), z),
    )
  )[0]!;
  let worst = 0;
  let most = 0;
  let n = 0;
  for (let r = 40; r < 160; r++) {
    for (let c = 60; c < 200; c++) {
      const value = flat[r * width + c]!;
      const b = power[r * width + c]!;
      if (!(value > 0)) {
        continue;
      }
      n++;
      worst = Math.max(worst, Math.abs(10 * Math.log10(value / 0.2)));
      most = Math.max(most, Math.abs(10 * Math.log10(b / 0.247)));
    }
  }
  expect(n).toBeGreaterThan(15000);
  expect(most).toBeGreaterThan(2);
  expect(worst).toBeLessThan(0.5);
}, 60_000);

describe("layover and shadow by hand", () => {
  // Range grows to the right, a metre a cell, beam 45° from the vertical.
  const bits = (z: number[], reach = 100, incidence = Math.PI / 4) => {
    const output = new Uint8Array(z.length * 3);
    const window = { col: 7, row: -3, width: z.length, height: 3 };
    const slant = z.map((height, k) => k * Math.sin(incidence) - height * Math.cos(incidence));
    const look = z.map((height, k) => k * Math.cos(incidence) + height * Math.sin(incidence));
    const rows = (values: number[]) => Float64Array.from([...values, ...values, ...values]);
    hiddenCells(rows(slant), rows(look), window, linesAlong([1, 0]), reach, output);
    return [...output.subarray(z.length, 2 * z.length)];
  };
  test("level ground hides nothing", () => {
    expect(bits([0, 0, 0, 0, 0])).toEqual([0, 0, 0, 0, 0]);
  });
  test("a wall throws a shadow as long as it is high, and lies over what is before it", () => {
    // At 45° a wall of three metres shades the next three cells but not the fourth, and is as near
    // as the three before it.
    const b = bits([0, 0, 0, 0, 0, 3, 0, 0, 0, 0]);
    expect(b.map((value) => (value & SHADOW ? 1 : 0))).toEqual([0, 0, 0, 0, 0, 0, 1, 1, 0, 0]);
    expect(b.map((value) => (value & LAYOVER ? 1 : 0))).toEqual([0, 0, 0, 1, 1, 1, 0, 0, 0, 0]);
  });
  test("ground hides no other ground beyond the reach", () => {
    const b = bits([0, 0, 0, 0, 0, 3, 0, 0, 0, 0], 1);
    expect(b.map((value) => (value & SHADOW ? 1 : 0))).toEqual([0, 0, 0, 0, 0, 0, 1, 0, 0, 0]);
    expect(b.map((value) => (value & LAYOVER ? 1 : 0))).toEqual([0, 0, 0, 0, 1, 1, 0, 0, 0, 0]);
  });
  test("range that grows to the left or downwards is walked that way", () => {
    const z = [0, 0, 0, 0, 3, 0, 0, 0, 0, 0];
    const mirrored = [...z].reverse();
    const slant = mirrored.map((height, k) => (9 - k - height) * Math.SQRT1_2);
    const look = mirrored.map((height, k) => (9 - k + height) * Math.SQRT1_2);
    const output = new Uint8Array(30);
    const three = (values: number[]) => Float64Array.from([...values, ...values, ...values]);
    const left = { col: 0, row: 0, width: 10, height: 3 };
    hiddenCells(three(slant), three(look), left, linesAlong([-1, 0]), 100, output);
    expect([...output.subarray(10, 20)].reverse()).toEqual(bits(z));
    const down = { col: 0, row: 0, width: 3, height: 10 };
    const columns = (values: number[]) =>
      Float64Array.from([...values].reverse().flatMap((value) => [value, value, value]));
    hiddenCells(columns(slant), columns(look), down, linesAlong([0.2, 1]), 100, output);
    expect(Array.from({ length: 10 }, (_v, k) => output[3 * k + 1])).toEqual(bits(z));
  });
  test("cells without elevation stay unmarked", () => {
    expect(bits([0, 5, NaN, 0, 0, 0, 0])[2]).toBe(0);
  });
});

describe("filters", () => {
  test("median of a window by hand, and the network against selection", () => {
    const src = Float32Array.from([9, 1, 5, 3, 7, 2, 8, 6, 4]);
    const output = new Float32Array(1);
    median(src, 1, 1, 3, output);
    expect(output[0]).toBe(5);
    const random = lcg(4);
    const big = Float32Array.from({ length: 103 * 41 }, () => random());
    const fast = new Float32Array(101 * 39);
    const slow = new Float32Array(101 * 39);
    median(big, 101, 39, 3, fast);
    for (let r = 0; r < 39; r++) {
      for (let c = 0; c < 101; c++) {
        slow[r * 101 + c] = [0, 1, 2]
          .flatMap((j) => [0, 1, 2].map((i) => big[(r + j) * 103 + c + i]!))
          .sort((a, b) => a - b)[4]!;
      }
    }
    expect(fast).toEqual(slow);
    median(Float32Array.from([NaN, 1, 5, 3, 7, 2, 8, 6, 4]), 1, 1, 3, output);
    expect(output[0]).toBe(4);
  });
  test.each([3, 5, 7, 9, 11])(
    "median of %i cells a side is the middle of what is there, sorted, across the seams of tiles",
    (size) => {
      const random = lcg(size);
      const [width, height] = [1040, 70];
      const wide = width + size - 1;
      const src = Float32Array.from({ length: wide * (height + size - 1) }, () =>
        random() < 0.02 ? NaN : Math.round(100 * random()) - 30,
      );
      const found = new Float32Array(width * height);
      median(src, width, height, size, found);
      const half = (size - 1) / 2;
      for (let k = 0; k < 3000; k++) {
        const col = k < 300 ? 1016 + (k % 24) : Math.floor(random() * width);
        const row = Math.floor(random() * height);
        const values: number[] = [];
        for (let j = 0; j < size; j++) {
          values.push(...src.subarray((row + j) * wide + col, (row + j) * wide + col + size));
        }
        const there = values.filter((value) => !Number.isNaN(value)).sort((a, b) => a - b);
        const isMissing = Number.isNaN(src[(row + half) * wide + col + half]);
        expect(found[row * width + col]).toBe(isMissing ? NaN : there[(there.length - 1) >> 1]);
      }
    },
  );
  test("mean leaves nodata out", () => {
    const output = new Float32Array(1);
    boxcar(Float32Array.from([1, NaN, 3, 4, 5, 6, 7, 8, 2]), 1, 1, 3, output);
    expect(output[0]).toBeCloseTo(36 / 8, 6);
  });
  test("gamma MAP: even ground becomes the mean, a strong target stays, between the two by the published root", () => {
    const output = new Float32Array(1);
    const even = Float32Array.from([1, 1.1, 0.9, 1, 1, 1, 1, 0.9, 1.1]);
    const strong = Float32Array.from([1, 1, 1, 1, 90, 1, 1, 1, 1]);
    const mid = Float32Array.from([0.5, 1.6, 0.8, 1.9, 1.7, 0.6, 1.2, 0.4, 1.3]);
    gammaMap(even, 1, 1, 3, 4, output);
    expect(output[0]).toBeCloseTo(1, 6);
    gammaMap(strong, 1, 1, 3, 4, output);
    expect(output[0]).toBe(90);
    gammaMap(mid, 1, 1, 3, 6, output);
    const m = mid.reduce((a, b) => a + b) / 9;
    const value = mid.reduce((a, b) => a + (b - m) ** 2, 0) / 9;
    const alpha = (1 + 1 / 6) / (value / (m * m) - 1 / 6);
    const x = output[0]!;
    // The estimate is the root of α x² + (L + 1 − α) m x − L m z = 0.
    expect(alpha).toBeGreaterThan(0);
    expect(alpha * x * x + (7 - alpha) * m * x - 6 * m * 1.7).toBeCloseTo(0, 4);
  });
  test("across dates: dates that are alike in all but grain lend their looks; a change stays with its date", () => {
    const n = 206;
    const make = (seed: number, level: number) => {
      const random = lcg(seed);
      return Float32Array.from({ length: n * n }, () => -level * Math.log(1 - random()));
    };
    const dates = [make(1, 1), make(2, 5), make(3, 0.2), make(4, 1)];
    const output = new Float32Array(200 * 200);
    multiTemporal(dates, 2, 200, 200, 7, output);
    const mean = output.reduce((a, b) => a + b) / output.length;
    const enl = mean ** 2 / (output.reduce((a, b) => a + (b - mean) ** 2, 0) / output.length);
    expect(mean).toBeGreaterThan(0.195);
    expect(mean).toBeLessThan(0.205);
    expect(enl).toBeGreaterThan(3);
  });
  test("over time by hand", () => {
    const data = [
      [1, NaN],
      [5, NaN],
      [3, 2],
    ].map((x) => Float32Array.from(x));
    const output = new Float32Array(2);
    for (const [s, a, b] of [
      ["mean", 3, 2],
      ["median", 3, 2],
      ["min", 1, 2],
      ["max", 5, 2],
      ["count", 3, 1],
      ["deviation", 2, NaN],
    ] as const) {
      overTime(data, s, output);
      expect([s, output[0], output[1]]).toEqual([s, a, b]);
    }
  });
});
