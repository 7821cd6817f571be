import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { northUp } from "../grid/grid";
import { overTime } from "../radar/overTime";
import { lcg, memorySources } from "../testing/support";
import { chainRows } from "./chainRows";
import { CHAIN_SCHEMAS, checkedExceptions, keysOf } from "./family";
import type { OpticalScene } from "./optical/family";
import { OPTICAL_STEPS, type OpticalChain } from "./optical/steps";
import { proposedOptical } from "./opticalChain";
import { realCells } from "../raster/block";
import { node, sourceNode } from "../graph/node";

const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 40, 30);
const nm = [482, 561, 655, 865, 1609, 2201];
const info = (more: Partial<ImageInfo> = {}, quality = true): ImageInfo => ({
  grid,
  type: "float32",
  bands: [
    ...nm.map((wavelengthNm, k) => ({
      name: `B${k + 2}`,
      unit: "DN",
      role: "dn" as const,
      wavelengthNm,
      gain: { multiply: 2e-5, add: -0.1 },
    })),
    ...(quality ? [{ name: "quality", unit: "", role: "quality" as const }] : []),
  ],
  optical: { level: 1, sunElevationDeg: 50, sunAzimuthDeg: 60 },
  ...more,
});
const scene = (id: string, day = "2025-01-22", i = info()): OpticalScene => ({
  id,
  name: id,
  imageId: `image-${id}`,
  info: i,
  acquiredAt: `${day}T13:00:00Z`,
});
const chain = proposedOptical(grid, {
  hazard: "fire",
  quality: true,
  frames: true,
  bands: info().bands,
});
const all = (scenes: OpticalScene[], settings: Partial<OpticalChain> = {}) =>
  chainRows(
    OPTICAL_STEPS,
    scenes.map((opticalScene) => ({ scene: opticalScene, settings: { ...chain, ...settings } })),
  );
const steps = (r: ReturnType<typeof all>, id: string) =>
  Object.fromEntries(
    r
      .get(id)!
      .cells.map((chainCell) => [
        chainCell.step,
        chainCell.skipped ? "skipped" : chainCell.output.step,
      ]),
  );

test("a fire begins with NBR and NDVI on native cells; the proposal is a valid chain", () => {
  expect(chain.indices.outputs.map((output) => output.name)).toEqual(["NDVI", "NBR"]);
  expect(CHAIN_SCHEMAS.optical.validateSync(chain, { strict: true })).toEqual(chain);
  expect(
    proposedOptical(grid, {
      hazard: "flood",
      quality: false,
      frames: false,
      bands: info().bands.slice(0, 2),
    }).indices.outputs,
  ).toEqual([]);
});
test("steps in their order; each takes what the last one gave", () => {
  const r = all([scene("a"), scene("b", "2025-02-15")]);
  const cells = r.get("a")!.cells;
  expect(cells.map((chainCell) => chainCell.step)).toEqual(keysOf("optical"));
  expect(steps(r, "a")).toEqual({
    mask: "optical.mask",
    gaps: "skipped",
    reflectance: "optical.reflectance",
    haze: "skipped",
    surface: "optical.mask",
    mosaic: "skipped",
    grid: "optical.mask",
    indices: "optical.indices",
  });
  for (let k = 1; k < cells.length; k++) {
    expect(cells[k]!.input).toBe(cells[k - 1]!.output);
  }
  expect(r.get("a")!.result.step).toBe("optical.indices");
});
test("water leaves after Surface, which needs its darkness; at once where there is no Surface", () => {
  const [on, off] = [
    all([scene("a")]),
    all([scene("a")], { surface: { ...chain.surface, on: false } }),
  ].map((r) => r.get("a")!.cells);
  const of = (c: typeof on, s: string) => c!.find((chainCell) => chainCell.step === s)!.output;
  expect([
    of(on, "mask").params.water,
    of(on, "surface").params.water,
    of(on, "surface").inputs[0]!.step,
    of(off, "mask").params.water,
  ]).toEqual([false, true, "optical.surface", true]);
});
test("frames of one day become one image, those of other days stay alone; both frames share the node", () => {
  const east = info({ grid: northUp(utm(27, true), 500000 + 30 * 30, 5170000, 30, 30, 40, 30) });
  const r = all([scene("w"), scene("e", "2025-01-22", east), scene("x", "2025-02-15")]);
  const mosaic = r.get("w")!.cells.find((chainCell) => chainCell.step === "mosaic")!.output;
  expect([mosaic.step, mosaic.inputs.length, steps(r, "x").mosaic]).toEqual([
    "optical.mosaic",
    2,
    "skipped",
  ]);
  expect(r.get("e")!.result).toEqual(r.get("w")!.result);
  expect(mosaic.inputs.map((input) => (input.params.grid as typeof grid).width)).toEqual([70, 70]);
});
test("gaps from a date: that date is masked and put on the cells first; a date that left the chain is named", () => {
  const r = all([scene("a", "2025-02-15"), scene("b")], {
    gaps: { on: true, sceneId: "b", masked: false },
  });
  const chainCell = r.get("a")!.cells.find((c) => c.step === "gaps")!;
  expect(chainCell.output.inputs[1]).toMatchObject({
    step: "optical.mask",
    inputs: [sourceNode("image-b")],
  });
  expect(r.get("b")!.cells.find((c) => c.step === "gaps")!.output.inputs).toHaveLength(1);
  const gone = all([scene("a")], { gaps: { on: true, sceneId: "zz", masked: false } }).get("a")!;
  expect([gone.failedAt, gone.error?.message, gone.cells.length]).toEqual([
    "gaps",
    "The date that fills the gaps is not in the chain",
    keysOf("optical").length,
  ]);
  expect(
    all([scene("a"), scene("b", "2025-03-01")], { gaps: { on: true, sceneId: "b", masked: false } })
      .get("a")!
      .cells.find((c) => c.step === "gaps")!
      .warnings.join(),
  ).toMatch(/later date/);
});
test("surface reflectance from elsewhere goes past Haze and Surface", () => {
  const r = all(
    [
      scene(
        "a",
        "2025-01-22",
        info({ optical: { level: 2, sunElevationDeg: null, sunAzimuthDeg: null } }),
      ),
    ],
    { haze: { on: true, strength: 1 } },
  );
  expect([steps(r, "a").haze, steps(r, "a").surface, steps(r, "a").reflectance]).toEqual([
    "skipped",
    "skipped",
    "optical.reflectance",
  ]);
});
test("without a quality band cloud is told on reflectance, which then comes first", () => {
  const r = all([scene("a", "2025-01-22", info({}, false))]);
  const mask = r.get("a")!.cells[0]!;
  expect(mask.output.inputs[0]!.step).toBe("optical.reflectance");
  expect(mask.warnings.join()).toMatch(/only bright cloud/);
  expect(r.get("a")!.cells[2]!.output).toBe(mask.output);
});
test("exceptions are checked by scene and field", () => {
  expect(checkedExceptions("optical", chain, { a: { haze: { on: true } } })).toEqual({
    a: { haze: { on: true } },
  });
  for (const [e, why] of [
    [{ a: { haze: { strength: 9 } } }, /strength/],
    [{ a: { terrain: {} } }, /no step called "terrain"/],
    [{ a: { grid: { grid } } }, /grid of its own/],
    [[], /by scene/],
  ] as const) {
    expect(() => checkedExceptions("optical", chain, e)).toThrow(why);
  }
});
test("a whole chain computes, tells what it found, and a broken formula is named with its place", async () => {
  const n = 40 * 30;
  const bands = [
    ...nm.map((_v, k) =>
      Float32Array.from({ length: n }, (_x, i) => 8000 + 900 * k + (i % 40) * 60),
    ),
    new Float32Array(n).fill(64),
  ];
  const evaluator = new Evaluator({
    sources: memorySources({ "image-a": { info: info(), bands } }),
  });
  const chainResult = all([scene("a")]).get("a")!;
  const out = await evaluator.info(chainResult.result);
  const b = (
    await evaluator.read(chainResult.result, 0, { col: 10, row: 10, width: 2, height: 1 })
  ).bands.map(realCells);
  const nir = b[3]![0]!;
  const swir = b[5]![0]!;
  expect(out.bands.map((band) => band.name)).toEqual([
    "B2",
    "B3",
    "B4",
    "B5",
    "B6",
    "B7",
    "quality",
    "NDVI",
    "NBR",
  ]);
  expect(b[8]![0]).toBeCloseTo((nir - swir) / (nir + swir), 5);
  expect(
    (await evaluator.report(
      chainResult.cells.find((chainCell) => chainCell.step === "surface")!.tells![0]!,
    ))!.lines,
  ).toHaveLength(6);
  await expect(
    evaluator.info(
      node(
        "optical.indices",
        { keep: true, outputs: [{ name: "X", formula: "nir - rad" }] },
        chainResult.cells.find((chainCell) => chainCell.step === "grid")!.output,
      ),
    ),
  ).rejects.toMatchObject({ message: 'X: There is no band called "rad"', at: 6, length: 3 });
  await expect(
    evaluator.info(
      node(
        "optical.indices",
        { keep: true, outputs: [{ name: "B2", formula: "nir" }] },
        chainResult.cells.find((chainCell) => chainCell.step === "grid")!.output,
      ),
    ),
  ).rejects.toThrow(/two bands called B2/);
});
test("a statistic over dates keeps reflectance and indices, and no chain takes it for a date", async () => {
  const bands = [
    ...nm.map((_v, k) => new Float32Array(1200).fill(8000 + 900 * k)),
    new Float32Array(1200).fill(64),
  ];
  const evaluator = new Evaluator({
    sources: memorySources({
      "image-a": { info: info(), bands },
      "image-b": { info: info(), bands },
    }),
  });
  const r = all([scene("a"), scene("b", "2025-02-15")]);
  const out = await evaluator.info(
    node(
      "radar.overTime",
      { statistic: "percentile", percent: 25 },
      r.get("a")!.result,
      r.get("b")!.result,
    ),
  );
  expect(out.optical).toBeUndefined();
  expect(out.bands.map((band) => band.name)).toEqual([
    ...["B2", "B3", "B4", "B5", "B6", "B7", "NDVI", "NBR"].map((n) => `${n} percentile 25`),
  ]);
});
test("percentile and mode of dates, by hand", () => {
  const dates = [3, 1, 2, 10, NaN].map((value) => Float32Array.of(value));
  const one = (s: "percentile" | "mode", params?: number) => {
    const out = new Float32Array(1);
    overTime(dates, s, out, params);
    return out[0];
  };
  expect([
    one("percentile", 0),
    one("percentile", 50),
    one("percentile", 25),
    one("percentile", 100),
  ]).toEqual([1, 2.5, 1.75, 10]);
  // The half that lies closest together is 1 and 2.
  expect(one("mode")).toBe(1.5);
  const output = new Float32Array(1);
  overTime(
    [5, 5, 5, 9, 1].map((value) => Float32Array.of(value)),
    "mode",
    output,
  );
  expect(output[0]).toBe(5);
});
test("haze and borders: block by block like the whole, clear cells untouched, levels named", async () => {
  const width = 150;
  const height = 130;
  const coarse = northUp(utm(27, true), 500000, 5170000, 30, 30, width, height);
  const random = lcg(12);
  const covers = [
    [0.045, 0.08, 0.06, 0.3, 0.2, 0.1],
    [0.05, 0.09, 0.08, 0.34, 0.22, 0.12],
    [0.035, 0.05, 0.04, 0.24, 0.13, 0.06],
    [0.045, 0.04, 0.03, 0.02, 0.006, 0.004],
  ];
  const haze = (i: number) =>
    Math.max(0, 0.14 - 0.004 * Math.hypot((i % width) - 40, Math.floor(i / width) - 60));
  const path = [0.8, 0.62, 0.48, 0.3, 0.1, 0.05];
  const field = Array.from({ length: 30 * 30 }, () => Math.floor(random() * 3));
  const bits = new Float32Array(width * height).fill(64);
  const bands = nm.map((_n, k) =>
    Float32Array.from(
      { length: width * height },
      (_v, i) =>
        covers[
          i % width > 120 ? 3 : field[Math.floor((i % width) / 5) * 30 + Math.floor(i / width / 5)]!
        ]![k]! *
          (1 + 0.06 * (random() - 0.5)) +
        path[k]! * haze(i),
    ),
  );
  for (let i = 0; i < width * height; i++) {
    if (Math.floor(i / width) < 12) {
      bits[i] = 1;
      bands.forEach((band) => {
        band[i] = NaN;
      });
    }
  }
  const i: ImageInfo = {
    ...info(),
    grid: coarse,
    bands: info().bands.map((band) =>
      band.role === "dn" ? { ...band, role: "reflectance" as const } : band,
    ),
  };
  const sources = memorySources({ "image-a": { info: i, bands: [...bands, bits] } });
  const evaluator = new Evaluator({ sources });
  const cells = chainRows(OPTICAL_STEPS, [
    {
      scene: scene("a", "2025-01-22", i),
      settings: {
        ...chain,
        haze: { on: true, strength: 1 },
        mask: { ...chain.mask, borderCells: 3 },
      },
    },
  ]).get("a")!.cells;
  const of = (s: string) => cells.find((chainCell) => chainCell.step === s)!.output;
  const all2 = { col: 0, row: 0, width, height };
  const w = { col: 33, row: 20, width: 41, height: 27 };
  for (const n of [
    of("mask"),
    of("haze"),
    node("optical.hazeLevels", {}, of("haze")),
    of("indices"),
  ]) {
    const whole = (await evaluator.read(n, 0, all2)).bands;
    const part = (await new Evaluator({ sources }).read(n, 0, w)).bands;
    // To the bit by core/src/optical/blockwise.test.ts; here what the chain puts together.
    part.forEach((b, k) =>
      b.forEach((value, j) => {
        const x = whole[k]![(w.row + Math.floor(j / w.width)) * width + w.col + (j % w.width)]!;
        if (Number.isNaN(x)) {
          expect(value).toBeNaN();
        } else {
          expect(Math.abs(value - x)).toBeLessThan(1e-5);
        }
      }),
    );
  }
  const masked = (await evaluator.read(of("mask"), 0, all2)).bands.map(realCells);
  const cleared = (await evaluator.read(of("haze"), 0, all2)).bands.map(realCells);
  const level = cleared.at(-1)!;
  const at = (c: number, r: number) => r * width + c;
  expect([masked[0]![at(70, 14)], masked[0]![at(70, 15)]].map(Number.isNaN)).toEqual([true, false]);
  expect([
    level[at(40, 60)]! >= 2 && level[at(40, 60)]! <= 3,
    level[at(110, 110)],
    level[at(140, 100)],
  ]).toEqual([true, 0, 4]);
  expect(cleared[0]![at(110, 110)]).toBe(masked[0]![at(110, 110)]);
  const off = (b: Float32Array, k: number) => {
    let s = 0;
    let n = 0;
    for (let r = 50; r < 70; r++) {
      for (let c = 30; c < 50; c++) {
        s += Math.abs(b[at(c, r)]! - (bands[k]![at(c, r)]! - path[k]! * haze(at(c, r))));
        n++;
      }
    }
    return s / n;
  };
  for (const k of [0, 1, 2]) {
    expect(off(cleared[k]!, k)).toBeLessThan(0.5 * off(masked[k]!, k));
  }
  expect(
    (await evaluator.report(of("haze")))!.lines.some((line) => /haze over land/i.test(line.name)),
  ).toBe(true);
});
