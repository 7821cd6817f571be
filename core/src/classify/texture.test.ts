import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { node, sourceNode } from "../graph/node";
import { fullWindow, northUp } from "../grid/grid";
import { firstDifference } from "../testing/inWindows";
import { lcg, memorySources } from "../testing/support";
import { extraName, extraNode } from "./extraInputs";
import { inputsOf } from "./inputs";
import { classifySchema, EMPTY_CLASSIFY } from "./settings";
import {
  GREY_LEVELS,
  TEXTURES,
  type Texture,
  cooccurrence,
  greyLevels,
  isCooccurrence,
  localFigure,
} from "./texture";

/** The figure of a whole square of grey levels, as one window. */
function figureOf(rows: number[][], texture: Texture): number {
  const size = rows.length;
  // One cell in the middle of a window must be there: even sides are padded with cells without one.
  const side = size % 2 ? size : size + 1;
  const levels = new Uint8Array(side * side).fill(255);
  rows.forEach((row, r) => row.forEach((level, c) => (levels[r * side + c] = level)));
  const out = new Float32Array(1);
  cooccurrence(levels, { width: 1, height: 1, windowCells: side }, texture, out);
  return out[0]!;
}

describe("co-occurrence of grey levels", () => {
  // The example of the paper, 4 × 4 cells, with its four matrices: along, down, and both ways aslant.
  const PAPER = [
    [0, 0, 1, 1],
    [0, 0, 1, 1],
    [0, 2, 2, 2],
    [2, 2, 3, 3],
  ];
  const MATRICES = [
    [4, 2, 1, 0, 2, 4, 0, 0, 1, 0, 6, 1, 0, 0, 1, 2],
    [6, 0, 2, 0, 0, 4, 2, 0, 2, 2, 2, 2, 0, 0, 2, 0],
    [2, 1, 3, 0, 1, 2, 1, 0, 3, 1, 0, 2, 0, 0, 2, 0],
    [4, 1, 0, 0, 1, 2, 2, 0, 0, 2, 4, 1, 0, 0, 1, 0],
  ];
  const shares = MATRICES[0]!.map((_n, k) => MATRICES.reduce((sum, one) => sum + one[k]!, 0) / 84);
  const over = (of: (share: number, i: number, j: number) => number) =>
    shares.reduce((sum, share, k) => sum + of(share, Math.floor(k / 4), k % 4), 0);
  const mean = over((share, i) => share * i);
  const variance = over((share, i) => share * (i - mean) ** 2);
  test.each<[Texture, number]>([
    ["contrast", over((share, i, j) => share * (i - j) ** 2)],
    ["homogeneity", over((share, i, j) => share / (1 + (i - j) ** 2))],
    ["energy", over((share) => share ** 2)],
    ["entropy", over((share) => (share > 0 ? -share * Math.log(share) : 0))],
    ["correlation", over((share, i, j) => share * (i - mean) * (j - mean)) / variance],
  ])("%s of the example of the paper", (texture, expected) => {
    expect(figureOf(PAPER, texture)).toBeCloseTo(expected, 6);
  });

  test("of even ground: nothing differs, all is one pair", () => {
    const even = [
      [5, 5, 5],
      [5, 5, 5],
      [5, 5, 5],
    ];
    const all = TEXTURES.filter(isCooccurrence).map((texture) => [
      texture,
      figureOf(even, texture),
    ]);
    expect(all).toEqual([
      ["contrast", 0],
      ["homogeneity", 1],
      ["energy", 1],
      ["entropy", 0],
      ["correlation", 1],
    ]);
    expect(figureOf([[5]], "contrast")).toBeNaN();
  });
  test("values are put into levels between two ends; what has none stays without", () => {
    const levels = greyLevels(Float32Array.of(-1, 0, 0.5, 1, 2, NaN), 0, 1);
    expect([...levels]).toEqual([0, 0, GREY_LEVELS / 2, GREY_LEVELS - 1, GREY_LEVELS - 1, 255]);
    expect([...greyLevels(Float32Array.of(3, 4), 3, 3)]).toEqual([0, 0]);
  });
});

test("mean and deviation of a window by hand, cells without a value left out", () => {
  const src = Float32Array.of(1, 2, 3, 4, 5, NaN, 7, 8, 9);
  const out = new Float32Array(1);
  const size = { width: 1, height: 1, windowCells: 3 };
  localFigure(src, size, "mean", out);
  expect(out[0]).toBeCloseTo(39 / 8, 6);
  localFigure(src, size, "deviation", out);
  const squares = [1, 2, 3, 4, 5, 7, 8, 9].reduce((sum, one) => sum + (one - 39 / 8) ** 2, 0);
  expect(out[0]).toBeCloseTo(Math.sqrt(squares / 8), 6);
});

describe("as steps of the graph", () => {
  const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 700, 600);
  const random = lcg(3);
  const n = grid.width * grid.height;
  const noise = (share: number) =>
    Float32Array.from({ length: n }, (_v, k) =>
      random() < share ? NaN : Math.sin(k / 40) + random(),
    );
  const info: ImageInfo = {
    ...{ grid, type: "float32" },
    bands: [
      { name: "B1", unit: "", role: "reflectance" },
      { name: "B2", unit: "", role: "reflectance" },
    ],
  };
  const hill: ImageInfo = {
    ...{ grid, type: "float32" },
    bands: [{ name: "elevation", unit: "m", role: "elevation" }],
  };
  const first = noise(0.02);
  const sources = memorySources({
    date: { info, bands: [first, noise(0.1)] },
    hill: {
      info: hill,
      bands: [Float32Array.from({ length: n }, (_v, k) => 3 * (k % grid.width))],
    },
  });
  const image = sourceNode("date");
  const evaluator = new Evaluator({ sources });
  const one = node("bands.select", { bands: [0] }, image);

  test.each(TEXTURES)("%s is the same in any window, at every level", async (texture) => {
    const spec = node("classify.texture", { texture, windowCells: 5 }, one);
    expect(await firstDifference(sources, spec, 0, 4)).toBeNull();
    expect(await firstDifference(sources, spec, 1, 4)).toBeNull();
  });
  test("a cell without a value in one input takes the mean of it; without any it stays empty", async () => {
    const filled = node("classify.fillMissing", {}, image);
    const { bands } = await evaluator.read(filled, 0, fullWindow(grid));
    const raw = (await evaluator.read(image, 0, fullWindow(grid))).bands;
    const gaps = [...raw[1]!.keys()].filter((k) => Number.isNaN(raw[1]![k]!));
    const known = [...raw[1]!].filter((value) => !Number.isNaN(value));
    const mean = known.reduce((sum, value) => sum + value, 0) / known.length;
    const open = gaps.filter((k) => !Number.isNaN(raw[0]![k]!));
    const shut = gaps.filter((k) => Number.isNaN(raw[0]![k]!));
    expect(open.every((k) => Math.abs(bands[1]![k]! - mean) < 1e-3)).toBe(true);
    expect(shut.every((k) => Number.isNaN(bands[1]![k]!))).toBe(true);
    expect(bands[0]!.filter((value, k) => value === raw[0]![k]).length).toBeGreaterThan(0.95 * n);
    const report = await evaluator.report(filled);
    // Of the cells with any value about a tenth lack the second band.
    expect(report!.lines.map(({ name }) => name)).toEqual(["B1", "B2"]);
    expect(Number(report!.lines[1]!.value)).toBeCloseTo(0.1, 2);
  });
  test("are inputs beside the bands of the date, under names of their own", async () => {
    const elevation = { node: sourceNode("hill"), info: hill };
    const sceneId = "00000000-0000-4000-8000-000000000001";
    const extras = [
      { kind: "terrain", of: "slope" },
      { kind: "texture", band: "B1", texture: "contrast", windowCells: 5 },
      { kind: "scene", sceneId, band: "B2", name: "B2 of summer" },
    ] as const;
    const settings = { ...EMPTY_CLASSIFY, extras: [...extras], missing: "fill" as const };
    expect(classifySchema.validateSync(settings, { strict: true })).toEqual(settings);
    const scenes = new Map([[sceneId, { node: image, info }]]);
    const { node: inputs, names } = inputsOf({ node: image, info }, ["B2"], grid, {
      extras: [...extras],
      sources: { elevation, scenes },
    });
    expect(names).toEqual(["B2", "slope", "B1 contrast 5", "B2 of summer"]);
    const block = await evaluator.read(inputs, 0, { col: 300, row: 300, width: 4, height: 4 });
    // Three metres on thirty: 5.71 degrees.
    expect(block.bands[1]![5]).toBeCloseTo((Math.atan(0.1) * 180) / Math.PI, 1);
    expect([...block.bands[3]!]).toEqual([...block.bands[0]!]);
  });
  test("that cannot be had say what helps", () => {
    const lacking = { elevation: null, scenes: new Map(), bandOfDate: () => image };
    expect(() => extraNode({ kind: "terrain", of: "slope" }, lacking, grid)).toThrow(
      "The input slope needs elevation",
    );
    const gone = { kind: "scene", sceneId: "x", band: "VV", name: "VV of May" } as const;
    expect(() => extraNode(gone, lacking, grid)).toThrow(/The input VV of May is not there/);
    expect(extraName(gone)).toBe("VV of May");
    const twice = { ...EMPTY_CLASSIFY, extras: [gone, gone] };
    expect(() => classifySchema.validateSync(twice)).toThrow();
  });
});
