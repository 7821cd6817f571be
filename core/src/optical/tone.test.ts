import { Evaluator } from "../graph/evaluator";
import { node, sourceNode } from "../change/setup";
import { utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { lcg, memorySources } from "../testing/support";
import { diverseReflectance, diversity, empiricalFit, endMembers } from "./endMembers";
import { balance, depthInside, overlapRms, toneBin } from "./tone";

describe("frames", () => {
  const sums = (a: number, b: number, x: Float64Array, y: Float64Array) => ({
    a,
    b,
    n: x.length,
    sa: x.reduce((s, v) => s + v),
    sb: y.reduce((s, v) => s + v),
    saa: x.reduce((s, v) => s + v * v, 0),
    sbb: y.reduce((s, v) => s + v * v, 0),
    sab: x.reduce((s, v, i) => s + v * y[i]!, 0),
  });
  test("gains and offsets of a row of frames come back, one of them as it was", () => {
    const u = lcg(1);
    const truth = Float64Array.from({ length: 4000 }, () => 0.05 + 0.3 * u());
    const seen = (gain: number, offset: number) => truth.map((v) => (v - offset) / gain);
    const f = [
      [1, 0],
      [1.25, -0.02],
      [0.8, 0.03],
    ] as const;
    const x = f.map(([g, o]) => seen(g, o));
    const t = balance(4, [sums(0, 1, x[0]!, x[1]!), sums(1, 2, x[1]!, x[2]!)], 0);
    f.forEach(([gain, offset], k) => {
      expect(t[k]!.gain).toBeCloseTo(gain, 6);
      expect(t[k]!.offset).toBeCloseTo(offset, 6);
    });
    expect(t[3]).toEqual({ gain: 1, offset: 0 });
    const direct = Math.sqrt(x[1]!.reduce((s, v, i) => s + (v - x[2]![i]!) ** 2, 0) / 4000);
    expect(
      overlapRms(sums(1, 2, x[1]!, x[2]!), { gain: 1, offset: 0 }, { gain: 1, offset: 0 }),
    ).toBeCloseTo(direct, 9);
    expect(overlapRms(sums(1, 2, x[1]!, x[2]!), t[1]!, t[2]!)).toBeLessThan(1e-6);
  });
  test("depth inside a mask, against the distance to every cell outside", () => {
    const W = 40;
    const H = 31;
    const u = lcg(7);
    const valid = Uint8Array.from({ length: W * H }, () => (u() < 0.01 ? 0 : 1));
    const d = depthInside(valid, W, H, 12);
    for (let i = 0; i < d.length; i += 7) {
      let want = 12;
      for (let j = 0; j < d.length; j++) {
        if (!valid[j]) {
          want = Math.min(
            want,
            Math.hypot((i % W) - (j % W), Math.floor(i / W) - Math.floor(j / W)),
          );
        }
      }
      expect(d[i]!).toBeGreaterThanOrEqual(want - 1e-5);
      expect(d[i]!).toBeLessThanOrEqual(Math.min(12, want * 1.09) + 1e-5);
    }
  });
  test("a hot spot is found over a patchwork of covers, and a mosaic of two frames has no seam", async () => {
    const W = 240;
    const H = 200;
    const grid = northUp(utm(27, true), 0, 0, 30, 30, W, H);
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
    const u = lcg(11);
    const field = Array.from({ length: 40 * 40 }, () => Math.floor(u() * 4));
    const clean = nm.map((_n, k) =>
      Float32Array.from(
        { length: W * H },
        (_v, i) =>
          covers[field[Math.floor((i % W) / 8) * 40 + Math.floor(i / W / 8)]!]![k]! *
          (1 + 0.04 * (u() - 0.5)),
      ),
    );
    const light = (i: number) =>
      1 + 0.3 * Math.exp(-(((i % W) - 60) ** 2 + (Math.floor(i / W) - 80) ** 2) / (2 * 45 ** 2));
    const west = clean.map((b) => b.map((v, i) => (i % W < 150 ? v * light(i) : NaN)));
    const east = clean.map((b) => b.map((v, i) => (i % W >= 100 ? 0.85 * v + 0.02 : NaN)));
    const e = new Evaluator({
      sources: memorySources({
        west: { info, bands: west },
        east: { info, bands: east },
        truth: { info, bands: clean },
      }),
    });
    const all = { col: 0, row: 0, width: W, height: H };
    const even = node("optical.evenLight", {}, sourceNode("west"));
    const n = node(
      "optical.mosaic",
      { between: true, anchor: 0, featherCells: 20 },
      even,
      sourceNode("east"),
    );
    const flat = (await e.read(even, 0, all)).bands as Float32Array[];
    const whole = (await e.read(n, 0, all)).bands as Float32Array[];
    const spread = (x: Float32Array, k: number, c0: number, c1: number) => {
      const r = [];
      for (let i = 0; i < W * H; i++) {
        if (i % W >= c0 && i % W < c1) {
          r.push(Math.log(x[i]! / clean[k]![i]!));
        }
      }
      const m = r.reduce((s, v) => s + v) / r.length;
      return Math.sqrt(r.reduce((s, v) => s + (v - m) ** 2, 0) / r.length);
    };
    for (let k = 0; k < 4; k++) {
      expect(spread(flat[k]!, k, 0, 150)).toBeLessThan(0.35 * spread(west[k]!, k, 0, 150));
      expect(spread(whole[k]!, k, 0, W)).toBeLessThan(0.05);
    }
    // No step where one frame begins and the other ends: columns differ no more there than
    // elsewhere.
    const column = (c: number) => {
      let s = 0;
      for (let r = 0; r < H; r++) {
        s += whole[2]![r * W + c]! / clean[2]![r * W + c]!;
      }
      return s / H;
    };
    for (const c of [100, 150]) {
      expect(Math.abs(column(c) - column(c - 1))).toBeLessThan(0.01);
    }
    const part = (await e.read(n, 0, { col: 90, row: 60, width: 33, height: 21 }))
      .bands as Float32Array[];
    for (let r = 0; r < 21; r++) {
      for (let c = 0; c < 33; c++) {
        expect(part[1]![r * 33 + c]).toBeCloseTo(whole[1]![(60 + r) * W + 90 + c]!, 6);
      }
    }
    const told = (await e.report(n))!;
    expect(told.lines.map((l) => l.name)).toEqual(
      ["B3", "B4", "B5", "B6"].map((b) => `Difference in the overlap, ${b}`),
    );
    for (const l of told.lines) {
      const [a, b] = l.value.split(" → ").map(Number) as [number, number];
      expect(b).toBeLessThan(a / 3);
    }
    await expect(
      e.info(
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
    const u = lcg(3);
    const mixed = Array.from({ length: 300 }, (_v, i) => {
      if (i < 3) {
        return pure[i]!;
      }
      const w = [u(), u(), u()];
      const s = w[0]! + w[1]! + w[2]!;
      return [0, 1, 2, 3].map((b) => pure.reduce((t, p, k) => t + (w[k]! / s) * p[b]!, 0));
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
    ].map((s) => s.map((v) => v));
    const mean = nm.map((_v, b) => shapes.reduce((s, x) => s + x[b]!, 0) / 4);
    const air = [0.8, 0.85, 0.9, 0.96, 0.96, 0.96];
    const spectra = shapes
      .flatMap((s) =>
        Array.from({ length: 20 }, () =>
          s.map((v, b) => (air[b]! * diverseReflectance(nm[b]!) * v) / mean[b]!),
        ),
      )
      .flat();
    const fit = empiricalFit(Float64Array.from(spectra), nm);
    fit.gains.forEach((g, b) => expect(Math.abs(g * air[b]! - 1)).toBeLessThan(0.12));
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
