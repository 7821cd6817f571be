import { Evaluator } from "../graph/evaluator";

import { utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { lcg, memorySources } from "../testing/support";
import { diverseReflectance, diversity, empiricalFit, endMembers } from "./endMembers";
import { balance, depthInside, overlapRms, toneBin } from "./tone";
import { realCells } from "../raster/block";
import { node, sourceNode } from "../graph/node";

describe("frames", () => {
  const sums = (a: number, b: number, x: Float64Array, y: Float64Array) => ({
    a,
    b,
    n: x.length,
    sa: x.reduce((s, value) => s + value),
    sb: y.reduce((s, value) => s + value),
    saa: x.reduce((s, value) => s + value * value, 0),
    sbb: y.reduce((s, value) => s + value * value, 0),
    sab: x.reduce((s, value, i) => s + value * y[i]!, 0),
  });
  test("gains and offsets of a row of frames come back, one of them as it was", () => {
    const random = lcg(1);
    const truth = Float64Array.from({ length: 4000 }, () => 0.05 + 0.3 * random());
    const seen = (gain: number, offset: number) => truth.map((value) => (value - offset) / gain);
    const found = [
      [1, 0],
      [1.25, -0.02],
      [0.8, 0.03],
    ] as const;
    const x = found.map(([group, options]) => seen(group, options));
    const t = balance(4, [sums(0, 1, x[0]!, x[1]!), sums(1, 2, x[1]!, x[2]!)], 0);
    found.forEach(([gain, offset], k) => {
      expect(t[k]!.gain).toBeCloseTo(gain, 6);
      expect(t[k]!.offset).toBeCloseTo(offset, 6);
    });
    expect(t[3]).toEqual({ gain: 1, offset: 0 });
    const direct = Math.sqrt(x[1]!.reduce((s, value, i) => s + (value - x[2]![i]!) ** 2, 0) / 4000);
    expect(
      overlapRms(sums(1, 2, x[1]!, x[2]!), { gain: 1, offset: 0 }, { gain: 1, offset: 0 }),
    ).toBeCloseTo(direct, 9);
    expect(overlapRms(sums(1, 2, x[1]!, x[2]!), t[1]!, t[2]!)).toBeLessThan(1e-6);
  });
  test("depth inside a mask, against the distance to every cell outside", () => {
    const width = 40;
    const height = 31;
    const random = lcg(7);
    const valid = Uint8Array.from({ length: width * height }, () => (random() < 0.01 ? 0 : 1));
    const difference = depthInside(valid, width, height, 12);
    for (let i = 0; i < difference.length; i += 7) {
      let want = 12;
      for (let j = 0; j < difference.length; j++) {
        if (!valid[j]) {
          want = Math.min(
            want,
            Math.hypot((i % width) - (j % width), Math.floor(i / width) - Math.floor(j / width)),
          );
        }
      }
      expect(difference[i]!).toBeGreaterThanOrEqual(want - 1e-5);
      expect(difference[i]!).toBeLessThanOrEqual(Math.min(12, want * 1.09) + 1e-5);
    }
  });
  test("a hot spot is found over a patchwork of covers, and a mosaic of two frames has no seam", async () => {
    const width = 240;
    const height = 200;
    const grid = northUp(utm(27, true), 0, 0, 30, 30, width, height);
    const nm = [561, 655, 865, 1609];
    const info: ImageInfo = {
      grid,
      type: "float32",
      bands: nm.map((wavelengthNm, k) => ({
        name: `B${k + 3}`,
        unit: "",
        role: "reflectance",
        wavelengthNm,
      })),
      optical: { level: 2, sunElevationDeg: null, sunAzimuthDeg: null },
    };
    const covers = [
      [0.08, 0.07, 0.3, 0.2],
      [0.05, 0.04, 0.26, 0.12],
      [0.09, 0.11, 0.22, 0.26],
      [0.06, 0.05, 0.35, 0.18],
    ];
    const random = lcg(11);
    const field = Array.from({ length: 40 * 40 }, () => Math.floor(random() * 4));
    const clean = nm.map((_n, k) =>
      Float32Array.from(
        { length: width * height },
        (_v, i) =>
          covers[field[Math.floor((i % width) / 8) * 40 + Math.floor(i / width / 8)]!]![k]! *
          (1 + 0.04 * (random() - 0.5)),
      ),
    );
    const light = (i: number) =>
      1 +
      0.3 *
        Math.exp(-(((i % width) - 60) ** 2 + (Math.floor(i / width) - 80) ** 2) / (2 * 45 ** 2));
    const west = clean.map((b) => b.map((value, i) => (i % width < 150 ? value * light(i) : NaN)));
    const east = clean.map((b) =>
      b.map((value, i) => (i % width >= 100 ? 0.85 * value + 0.02 : NaN)),
    );
    const evaluator = new Evaluator({
      sources: memorySources({
        west: { info, bands: west },
        east: { info, bands: east },
        truth: { info, bands: clean },
      }),
    });
    const all = { col: 0, row: 0, width, height };
    const even = node("optical.evenLight", {}, sourceNode("west"));
    const n = node(
      "optical.mosaic",
      { between: true, anchor: 0, featherCells: 20 },
      even,
      sourceNode("east"),
    );
    const flat = (await evaluator.read(even, 0, all)).bands.map(realCells);
    const whole = (await evaluator.read(n, 0, all)).bands.map(realCells);
    const spread = (x: Float32Array, k: number, c0: number, c1: number) => {
      const r = [];
      for (let i = 0; i < width * height; i++) {
        if (i % width >= c0 && i % width < c1) {
          r.push(Math.log(x[i]! / clean[k]![i]!));
        }
      }
      const m = r.reduce((s, value) => s + value) / r.length;
      return Math.sqrt(r.reduce((s, value) => s + (value - m) ** 2, 0) / r.length);
    };
    for (let k = 0; k < 4; k++) {
      expect(spread(flat[k]!, k, 0, 150)).toBeLessThan(0.35 * spread(west[k]!, k, 0, 150));
      expect(spread(whole[k]!, k, 0, width)).toBeLessThan(0.05);
    }
    // No step where one frame begins and the other ends: columns differ no more there than
    // elsewhere.
    const column = (c: number) => {
      let s = 0;
      for (let r = 0; r < height; r++) {
        s += whole[2]![r * width + c]! / clean[2]![r * width + c]!;
      }
      return s / height;
    };
    for (const c of [100, 150]) {
      expect(Math.abs(column(c) - column(c - 1))).toBeLessThan(0.01);
    }
    const part = (
      await evaluator.read(n, 0, { col: 90, row: 60, width: 33, height: 21 })
    ).bands.map(realCells);
    for (let r = 0; r < 21; r++) {
      for (let c = 0; c < 33; c++) {
        expect(part[1]![r * 33 + c]).toBeCloseTo(whole[1]![(60 + r) * width + 90 + c]!, 6);
      }
    }
    const told = (await evaluator.report(n))!;
    expect(told.lines.map((line) => line.name)).toEqual(
      ["B3", "B4", "B5", "B6"].map((b) => `Difference in the overlap, ${b}`),
    );
    for (const line of told.lines) {
      const [a, b] = line.value.split(" → ").map(Number) as [number, number];
      expect(b).toBeLessThan(a / 3);
    }
    await expect(
      evaluator.info(
        node(
          "optical.mosaic",
          { between: true, anchor: 5, featherCells: 20 },
          even,
          sourceNode("east"),
        ),
      ),
    ).rejects.toThrow(/no frame 6/);
  });
  test("covers by quotients do not change with the light", () => {
    for (const k of [0.5, 1, 1.7]) {
      expect(toneBin(0.06 * k, 0.3 * k, 0.2 * k)).toBe(toneBin(0.06, 0.3, 0.2));
    }
    expect(toneBin(0.05, 0.02, 0.01)).toBe(-1);
  });
});

describe("the in-scene empirical method", () => {
  test("end members of mixtures are the pure ones", () => {
    const pure = [
      [0.9, 0.1, 0.1, 0.1],
      [0.1, 0.8, 0.2, 0.1],
      [0.2, 0.1, 0.1, 0.7],
    ];
    const random = lcg(3);
    const mixed = Array.from({ length: 300 }, (_v, i) => {
      if (i < 3) {
        return pure[i]!;
      }
      const w = [random(), random(), random()];
      const s = w[0]! + w[1]! + w[2]!;
      return [0, 1, 2, 3].map((b) => pure.reduce((t, part, k) => t + (w[k]! / s) * part[b]!, 0));
    });
    expect(endMembers(Float64Array.from(mixed.flat()), 4, 3).sort()).toEqual([0, 1, 2]);
    expect(diversity(Float64Array.of(1, 0, 0, 1), 2, [0, 1])).toBeCloseTo(Math.PI / 2, 9);
    expect(endMembers(new Float64Array(12), 4, 3)).toEqual([]);
  });
  test("gains come back where materials are as diverse as the method takes for granted", () => {
    // Materials whose mean over wavelength is the reference: the gains are then those of the air
    // alone.
    const nm = [482, 561, 655, 865, 1609, 2201];
    const shapes = [
      [0.5, 0.6, 0.5, 1.6, 0.9, 0.5],
      [1.6, 1.2, 1.1, 0.7, 0.8, 0.8],
      [0.6, 0.8, 1.2, 0.9, 1.6, 1.5],
      [1.3, 1.4, 1.2, 0.8, 0.7, 1.2],
    ].map((s) => s.map((value) => value));
    const mean = nm.map((_v, b) => shapes.reduce((s, x) => s + x[b]!, 0) / 4);
    const air = [0.8, 0.85, 0.9, 0.96, 0.96, 0.96];
    const spectra = shapes
      .flatMap((shape) =>
        Array.from({ length: 20 }, () =>
          shape.map((value, b) => (air[b]! * diverseReflectance(nm[b]!) * value) / mean[b]!),
        ),
      )
      .flat();
    const fit = empiricalFit(Float64Array.from(spectra), nm);
    fit.gains.forEach((gain, b) => expect(Math.abs(gain * air[b]! - 1)).toBeLessThan(0.12));
    expect(fit.diversity).toBeGreaterThan(0.25);
    expect(
      empiricalFit(
        Float64Array.from(
          Array.from({ length: 50 }, () => [0.1, 0.12, 0.13, 0.3, 0.2, 0.1]).flat(),
        ),
        nm,
      ).members,
    ).toBe(1);
  });
});
