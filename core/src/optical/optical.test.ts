import { Evaluator } from "../graph/evaluator";
import type { StepState } from "../graph/step";
import type { ImageInfo } from "../graph/image";

import { utm } from "../geodesy/crs";
import { northUp } from "../grid/grid";
import { memorySources } from "../testing/support";
import { INDICES } from "./indices";
import { DARK_GROUND, darkValue, subtractDark } from "./darkObject";
import { brightnessTemperature } from "./temperature";
import { brightCloud, dilate, maskByQuality, opened, qualityMask } from "./quality";
import { emptyHistogram, addToHistogram } from "../raster/histogram";
import { lcg } from "../testing/support";
import { bandOfColour, bandsOfCombination, colourOf } from "./wavelengths";
import { realCells } from "../raster/block";
import { node, sourceNode } from "../graph/node";

const nm = [443, 482, 561, 655, 865, 1609, 2201];
const width = 5;
const height = 3;
const grid = northUp(utm(27, true), 0, 0, 30, 30, width, height);
const info = (more: Partial<ImageInfo> = {}): ImageInfo => ({
  grid,
  type: "float32",
  bands: [
    ...nm.map((wavelengthNm, i) => ({
      name: `B${i + 1}`,
      unit: "DN",
      role: "dn" as const,
      wavelengthNm,
      gain: { multiply: 2e-5, add: -0.1 },
    })),
    { name: "quality", unit: "", role: "quality" },
  ],
  optical: { level: 1, sunElevationDeg: 30, sunAzimuthDeg: 60 },
  ...more,
});
const cells = nm.map((_v, b) =>
  Float32Array.from({ length: width * height }, (_x, i) =>
    i === 7 ? NaN : 6000 + 700 * b + 311 * i,
  ),
);
const quality = new Float32Array(width * height).fill(64);
const sources = (i = info()) => memorySources({ s: { info: i, bands: [...cells, quality] } });
const w = { col: 0, row: 0, width, height };
const read = async (n: Parameters<Evaluator["read"]>[0], i = info()) =>
  (await new Evaluator({ sources: sources(i) }).read(n, 0, w)).bands.map(realCells);
const toa = node("optical.reflectance", {}, sourceNode("s"));

test("reflectance by gains and the height of the sun; level 2 by scale and offset alone", async () => {
  const r = await read(toa);
  const surface = await read(
    toa,
    info({ optical: { level: 2, sunElevationDeg: null, sunAzimuthDeg: null } }),
  );
  const done = await read(
    toa,
    info({ optical: { level: 1, sunElevationDeg: 30, sunAzimuthDeg: null, bySun: true } }),
  );
  expect(done[2]![4]).toBe(surface[2]![4]);
  // At 30° the sine is one half.
  for (const [b, i] of [
    [0, 0],
    [3, 5],
    [6, 14],
  ] as const) {
    expect(r[b]![i]! / ((cells[b]![i]! * 2e-5 - 0.1) * 2)).toBeCloseTo(1, 6);
    expect(surface[b]![i]! / (cells[b]![i]! * 2e-5 - 0.1)).toBeCloseTo(1, 6);
  }
  expect(r[0]![7]).toBeNaN();
  expect(r[7]![3]).toBe(64);
});
test("what cannot become reflectance is refused with the reason", async () => {
  const say = (i: ImageInfo) => expect(new Evaluator({ sources: sources(i) }).info(toa)).rejects;
  await say(info({ optical: { level: 1, sunElevationDeg: null, sunAzimuthDeg: null } })).toThrow(
    /how high the sun stood/,
  );
  await say(info({ optical: { level: 1, sunElevationDeg: -3, sunAzimuthDeg: null } })).toThrow(
    /no reflected light/,
  );
  await say({ ...info(), bands: info().bands.map(({ gain: _g, ...b }) => b) }).toThrow(
    /Band B1 has no gain/,
  );
  await say({ ...info(), bands: [{ name: "x", unit: "", role: "value" }] }).toThrow(
    /digital numbers/,
  );
});
test.each(INDICES)("$name agrees with its definition written out", async ({ id, formula }) => {
  const out = (await read(node("optical.formula", { formula, name: id }, toa)))[0]!;
  for (let i = 0; i < width * height; i++) {
    const [, BLOCK_SIDE, LARGE, RADIUS, COUNT, S1, S2] = cells.map(
      (c) => (c[i]! * 2e-5 - 0.1) * 2,
    ) as [number, number, number, number, number, number, number];
    const want = {
      ndvi: (COUNT - RADIUS) / (COUNT + RADIUS),
      savi: ((COUNT - RADIUS) / (COUNT + RADIUS + 0.5)) * 1.5,
      evi: (2.5 * (COUNT - RADIUS)) / (COUNT + 6 * RADIUS - 7.5 * BLOCK_SIDE + 1),
      nbr: (COUNT - S2) / (COUNT + S2),
      ndwi: (LARGE - COUNT) / (LARGE + COUNT),
      mndwi: (LARGE - S1) / (LARGE + S1),
      ndmi: (COUNT - S1) / (COUNT + S1),
    }[id]!;
    if (Number.isNaN(want)) {
      expect(out[i]).toBeNaN();
    } else {
      expect(Math.abs(out[i]! - want)).toBeLessThan(1e-5 * Math.abs(want));
    }
  }
});
test("an index on digital numbers is refused; a formula may name bands and colours", async () => {
  await expect(
    new Evaluator({ sources: sources() }).info(
      node("optical.formula", { formula: "nir - red", name: "x" }, sourceNode("s")),
    ),
  ).rejects.toThrow(/nir holds digital numbers/);
  const [a] = await read(
    node("optical.formula", { formula: "B5 - nir + quality", name: "x" }, toa),
  );
  expect(a![0]).toBe(64);
});
test("bands are found by wavelength, never by number", () => {
  const shuffled = [655, 482, 10895, 865, 561].map((wavelengthNm) => ({
    name: "",
    unit: "",
    role: "dn" as const,
    wavelengthNm,
  }));
  expect([
    bandOfColour(shuffled, "red"),
    bandOfColour(shuffled, "nir"),
    bandOfColour(shuffled, "swir2"),
    bandOfColour([{ name: "B4", unit: "", role: "dn" }], "red"),
  ]).toEqual([0, 3, -1, -1]);
  expect([
    bandsOfCombination(shuffled, "natural"),
    bandsOfCombination(shuffled, "burn"),
    colourOf(shuffled[2]!),
  ]).toEqual([[0, 4, 1], null, "thermal"]);
});

describe("masks", () => {
  test("quality bits by name; no number is fill", () => {
    const query = Float32Array.of(1, 64, 64 | 8, 64 | 16, NaN, 64 | 128);
    const out = new Uint8Array(6);
    const by = (...n: Parameters<typeof qualityMask>[0]) => {
      maskByQuality(query, qualityMask(n), out);
      return [...out];
    };
    expect(by("fill")).toEqual([1, 0, 0, 0, 1, 0]);
    expect(by("cloud", "shadow")).toEqual([0, 0, 1, 1, 0, 0]);
    expect(by("water", "fill")).toEqual([1, 0, 0, 0, 1, 1]);
  });
  test("widening a mask equals looking at every window", () => {
    const random = lcg(4);
    const W2 = 23;
    const H2 = 17;
    const k = 3;
    const src = Uint8Array.from({ length: (W2 + 2 * k) * (H2 + 2 * k) }, () =>
      random() < 0.03 ? 1 : 0,
    );
    const out = new Uint8Array(W2 * H2);
    dilate(src, W2, H2, k, out);
    for (let r = 0; r < H2; r++) {
      for (let c = 0; c < W2; c++) {
        let any = 0;
        for (let j = 0; j <= 2 * k; j++) {
          for (let i = 0; i <= 2 * k; i++) {
            any |= src[(r + j) * (W2 + 2 * k) + c + i]!;
          }
        }
        expect(out[r * W2 + c]).toBe(any);
      }
    }
  });
  test("opening a mask equals shrinking and growing it window by window", () => {
    const random = lcg(8);
    const W2 = 41;
    const H2 = 29;
    const half = 2;
    const src = new Uint8Array(W2 * H2);
    for (let k = 0; k < 14; k++) {
      const c0 = Math.floor(random() * W2);
      const r0 = Math.floor(random() * H2);
      const w2 = 1 + Math.floor(random() * 12);
      const h2 = 1 + Math.floor(random() * 9);
      for (let r = r0; r < Math.min(H2, r0 + h2); r++) {
        for (let c = c0; c < Math.min(W2, c0 + w2); c++) {
          src[r * W2 + c] = 1;
        }
      }
    }
    const at = (a: Uint8Array, c: number, r: number, past: 0 | 1) =>
      c < 0 || r < 0 || c >= W2 || r >= H2 ? past : a[r * W2 + c]!;
    const square = (a: Uint8Array, past: 0 | 1, fraction: (values: number[]) => number) =>
      Uint8Array.from({ length: W2 * H2 }, (_v, i) => {
        const values: number[] = [];
        for (let y = -half; y <= half; y++) {
          for (let x = -half; x <= half; x++) {
            values.push(at(a, (i % W2) + x, Math.floor(i / W2) + y, past));
          }
        }
        return fraction(values);
      });
    const want = square(
      square(src, 1, (values) => Math.min(...values)),
      0,
      (values) => Math.max(...values),
    );
    const got = opened(src, W2, H2, half);
    expect(got).toEqual(want);
    expect([want.some((value) => value), want.some((value, i) => !value && src[i])]).toEqual([
      true,
      true,
    ]);
  });
  test("bright, white cells are cloud; bright sand, dark water and warm roofs are not", () => {
    const out = new Uint8Array(4);
    brightCloud(
      Float32Array.of(0.5, 0.2, 0.05, 0.5),
      Float32Array.of(0.5, 0.3, 0.04, 0.5),
      Float32Array.of(0.48, 0.42, 0.03, 0.5),
      Float32Array.of(270, 280, 285, 310),
      out,
    );
    expect([...out]).toEqual([1, 0, 0, 0]);
  });
  test("temperature: the radiance of a black body comes back as its kelvin, and level 2 by scale and offset", () => {
    const k1 = 774.8853;
    const k2 = 1321.0789;
    const kelvin = [250, 288.15, 310];
    const gain = { multiply: 3.342e-4, add: 0.1 };
    const numbers = Float32Array.of(
      ...kelvin.map((t) => (k1 / (Math.exp(k2 / t) - 1) - gain.add) / gain.multiply),
      NaN,
      -5000,
    );
    const out = new Float32Array(5);
    brightnessTemperature(numbers, gain, { k1, k2 }, out);
    kelvin.forEach((t, i) => expect(Math.abs(out[i]! - t)).toBeLessThan(0.001));
    expect([...out.slice(3)]).toEqual([NaN, NaN]);
    brightnessTemperature(
      Float32Array.of(44177, NaN),
      { multiply: 0.00341802, add: 149 },
      null,
      out,
    );
    expect([out[0], out[1]]).toEqual([Math.fround(44177 * 0.00341802 + 149), NaN]);
  });
  test("without a quality band a white roof stays where the thermal band says that it is warm, and goes where it is cold", async () => {
    const k1 = 774.8853;
    const k2 = 1321.0789;
    const gain = { multiply: 3.342e-4, add: 0.1 };
    const at = (t: number) => (k1 / (Math.exp(k2 / t) - 1) - 0.1) / 3.342e-4;
    const big = northUp(utm(27, true), 0, 0, 30, 30, 8, 6);
    const bright = new Float32Array(48).fill(9000);
    const thermal = new Float32Array(48).fill(at(290));
    for (const i of [10, 30]) {
      bright[i] = 30_000;
    }
    thermal[10] = at(312);
    thermal[30] = at(262);
    const i: ImageInfo = {
      ...info(),
      grid: big,
      bands: [
        ...info().bands.slice(0, 7),
        {
          name: "B10",
          unit: "DN",
          role: "thermal",
          wavelengthNm: 10895,
          gain,
          planck: { k1, k2 },
        },
      ],
    };
    const evaluator = new Evaluator({
      sources: memorySources({ s: { info: i, bands: [...nm.map(() => bright), thermal] } }),
    });
    const n = node(
      "optical.mask",
      { cloud: true, shadow: false, cirrus: false, snow: false, water: false, growCells: 0 },
      node("optical.reflectance", {}, sourceNode("s")),
    );
    const b = (await evaluator.read(n, 0, { col: 0, row: 0, width: 8, height: 6 })).bands.map(
      realCells,
    );
    const made = await evaluator.info(n);
    expect(made.bands[7]).toEqual({
      name: "B10",
      unit: "K",
      role: "temperature",
      wavelengthNm: 10895,
    });
    expect([...b[0]!].flatMap((value, k) => (Number.isNaN(value) ? [k] : []))).toEqual([30]);
    expect(b[7]![10]).toBeCloseTo(312, 2);
    expect(b[7]![30]).toBeNaN();
    await expect(
      evaluator.info(
        node("optical.formula", { formula: "B10 - 273.15", name: "x" }, sourceNode("s")),
      ),
    ).rejects.toThrow(/B10 holds digital numbers/);
    expect(
      (await evaluator.info(node("optical.formula", { formula: "B10 - 273.15", name: "x" }, n)))
        .bands[0]!.name,
    ).toBe("x");
  });
  test("as a step: light goes where bits say so, with a margin; the quality band stays", async () => {
    const big = northUp(utm(27, true), 0, 0, 30, 30, 30, 20);
    const bits = new Float32Array(600).fill(64);
    const light = new Float32Array(600).fill(9000);
    bits[5 * 30 + 10] = 64 | 8;
    bits[0] = 1;
    const i: ImageInfo = { ...info(), grid: big };
    const evaluator = new Evaluator({
      sources: memorySources({ s: { info: i, bands: [...nm.map(() => light), bits] } }),
    });
    const all = {
      cloud: true,
      shadow: false,
      cirrus: false,
      snow: false,
      water: false,
      growCells: 2,
    };
    const b = (
      await evaluator.read(node("optical.mask", all, sourceNode("s")), 0, {
        col: 0,
        row: 0,
        width: 30,
        height: 20,
      })
    ).bands.map(realCells);
    expect(b[0]!.reduce((n, value) => n + (Number.isNaN(value) ? 1 : 0), 0)).toBe(26);
    expect([b[0]![3 * 30 + 8], b[0]![3 * 30 + 7], b[7]![5 * 30 + 10], b[3]![0]]).toEqual([
      NaN,
      9000,
      72,
      NaN,
    ]);
    const blind = { ...i, bands: i.bands.slice(0, 7) };
    await expect(
      new Evaluator({
        sources: memorySources({ s: { info: blind, bands: nm.map(() => light) } }),
      }).info(node("optical.mask", { ...all, shadow: true }, sourceNode("s"))),
    ).rejects.toThrow(/shadow cannot be told/);
  });
});

describe("surface reflectance by the darkest ground", () => {
  test("the dark value is where the histogram begins in earnest", () => {
    const histogram = emptyHistogram(-0.05, 0.75, 3200);
    const random = lcg(9);
    addToHistogram(
      histogram,
      Float32Array.from({ length: 100_000 }, () => 0.08 + 0.3 * random()),
    );
    addToHistogram(histogram, Float32Array.of(0.001, 0.002, 0.003));
    expect(Math.abs(darkValue(histogram) - 0.08)).toBeLessThan(0.0005);
    expect(darkValue(emptyHistogram(-0.05, 0.75, 3200))).toBeNaN();
  });
  test("by hand: with and without the light lost on its way", () => {
    const toa = Float32Array.of(0.12, 0.05, 0.01, NaN);
    const out = new Float32Array(4);
    const close = (want: number[]) =>
      want.forEach((value, k) => {
        if (Number.isNaN(value)) {
          expect(out[k]).toBeNaN();
        } else {
          expect(out[k]).toBeCloseTo(value, 6);
        }
      });
    subtractDark(toa, 0.05, "darkObject", 30, 482, out);
    close([0.12 - 0.04, DARK_GROUND, 0, NaN]);
    subtractDark(toa, 0.05, "cost", 30, 482, out);
    close([(0.12 - 0.045) / 0.5, DARK_GROUND, 0, NaN]);
    subtractDark(toa, 0.05, "cost", 30, 1609, out);
    close([0.12 - 0.04, DARK_GROUND, 0, NaN]);
  });
  test("as a step: a preview of any tile has the facts of the whole, and digital numbers are refused", async () => {
    const side = 1100;
    const big = northUp(utm(27, true), 0, 0, 30, 30, side, side);
    const i: ImageInfo = {
      ...info(),
      grid: big,
      bands: [{ name: "B2", unit: "", role: "reflectance", wavelengthNm: 482 }],
    };
    const cells2 = Float32Array.from(
      { length: side * side },
      (_v, k) => (k < side * 300 ? 0.06 : 0.2) + 0.00001 * (k % 100),
    );
    const sourceReader = memorySources({ s: { info: i, bands: [cells2] } });
    const n = node("optical.surface", { method: "darkObject" }, sourceNode("s"));
    const w2 = { col: 600, row: 900, width: 40, height: 30 };
    const full = realCells(
      (await new Evaluator({ sources: sourceReader }).read(n, 0, w2)).bands[0]!,
    );
    const preview = realCells(
      (await new Evaluator({ sources: sourceReader, preview: true }).read(n, 0, w2)).bands[0]!,
    );
    // The dark ground lies outside of this window.
    expect(Math.abs(full[0]! - (cells2[900 * side + 600]! - 0.05))).toBeLessThan(0.001);
    expect(Math.abs(preview[0]! - full[0]!)).toBeLessThan(0.001);
    await expect(
      new Evaluator({ sources: sources() }).info(
        node("optical.surface", { method: "cost" }, sourceNode("s")),
      ),
    ).rejects.toThrow(/needs reflectance/);
    // Another method takes the same facts: the image is not looked at again.
    let put = 0;
    const kept = new Map<string, StepState>();
    const states = {
      get: async (k: string) => kept.get(k) ?? null,
      put: async (k: string, state: StepState) => {
        put++;
        kept.set(k, state);
      },
      remove: async () => {},
    };
    for (const method of ["darkObject", "cost"] as const) {
      await new Evaluator({ sources: sourceReader, states, preview: true }).read(
        node("optical.surface", { method }, sourceNode("s")),
        0,
        w2,
      );
    }
    expect(put).toBe(1);
  });
});
