import { Evaluator } from "../graph/evaluator";
import type { ClassInfo, ImageInfo } from "../graph/image";
import { node, sourceNode } from "../graph/node";
import { fullWindow } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";
import { memorySources, testGrid } from "../testing/support";
import { type CoverClass, coverClassesSchema, transitionLabel, transitionOf } from "./coverClass";
import { fromToTable } from "./fromToTable";
import { pathClasses } from "./pathClasses";
import { coverPaths } from "./paths";
import { coverClasses, likeness, pairLegends } from "./pairLegends";

const named = (names: readonly string[], from = 1): ClassInfo[] =>
  names.map((name, k) => ({ label: from + k, name, color: "#123456" }));

describe("names of classes", () => {
  test.each([
    ["Water", "water ", 1],
    ["Reed bed", "Reedbeds", 1],
    ["Pasture", "Pastures", 1],
    ["Cropland", "Crop land", 1],
    ["Built-up", "Built up", 1],
    ["Berries", "Berry", 1],
    ["Grass", "Grass", 1],
    // One letter of eight is missing.
    ["Woodland", "Wodland", 7 / 8],
    ["Heath", "Heath and bare rock", 0.7 + 0.2 / 4],
    ["Water", "Town", 0],
  ])("%s and %s", (first, second, expected) => {
    expect(likeness(first, second)).toBeCloseTo(expected, 9);
    expect(likeness(second, first)).toBeCloseTo(expected, 9);
  });

  test("the most alike are paired first, each once; the others stand alone", () => {
    const before = named(["Water", "Woodland", "Heath", "Bare rock"]);
    const after = named(["Wodland", "Heath and bare rock", "Water", "Orchard"], 10);
    expect(pairLegends(before, after)).toEqual([
      { before: 1, after: 12, likeness: 1 },
      { before: 2, after: 10, likeness: 7 / 8 },
      { before: 3, after: null, likeness: 0 },
      { before: 4, after: 11, likeness: 0.7 + (0.2 * 2) / 4 },
      { before: null, after: 13, likeness: 0 },
    ]);
  });

  test("legends that have nothing in common pair nothing, and lose nothing", () => {
    const pairs = pairLegends(named(["Water", "Town"]), named(["Pine", "Oak"], 5));
    expect(pairs.map(({ before, after }) => [before, after])).toEqual([
      [1, null],
      [2, null],
      [null, 5],
      [null, 6],
    ]);
    const classes = coverClasses(pairs, named(["Water", "Town"]), named(["Pine", "Oak"], 5));
    expect(classes.map(({ name }) => name)).toEqual(["Water", "Town", "Pine", "Oak"]);
  });
});

const CLASSES: CoverClass[] = [
  { name: "Wood", color: "#2f6b45", before: [1], after: [10, 11] },
  { name: "Crop", color: "#e0b04f", before: [2, 3], after: [12] },
];

describe("the map of what was and became", () => {
  const grid = testGrid(4, 2);
  const info = (classes: ClassInfo[]): ImageInfo => ({
    grid,
    type: "class8",
    bands: [{ name: "class", unit: "", role: "classes" }],
    classes,
  });
  const mask: ImageInfo = {
    grid,
    type: "float32",
    bands: [{ name: "study area", unit: "", role: "mask" }],
  };
  const sources = memorySources({
    was: { info: info(named(["a", "b", "c"])), bands: [Uint8Array.of(1, 1, 2, 3, 1, 9, 255, 2)] },
    is: { info: info(named(["a"], 10)), bands: [Uint8Array.of(10, 12, 12, 11, 12, 12, 10, 12)] },
    m: { info: mask, bands: [Float32Array.of(1, 1, 1, 1, NaN, 1, 1, 1)] },
  });
  const evaluator = new Evaluator({ sources });
  const made = (...more: string[]) =>
    node("cover.fromTo", { classes: CLASSES }, ...["was", "is", ...more].map(sourceNode));
  test("has a label for every pair, 0 where a class is paired with none, nodata outside", async () => {
    const block = await evaluator.read(made("m"), 0, fullWindow(grid));
    // wood stays, wood to crop, crop stays, crop to wood, outside, class 9 of no pair, nodata, crop stays.
    expect([...block.bands[0]!]).toEqual([1, 2, 4, 3, CLASS_NODATA, 0, CLASS_NODATA, 4]);
    const { classes } = await evaluator.info(made());
    expect(classes!.map(({ label, name }) => [label, name])).toEqual([
      [1, "Wood, unchanged"],
      [2, "Wood to Crop"],
      [3, "Crop to Wood"],
      [4, "Crop, unchanged"],
    ]);
  });
  test("labels and places are each other's inverse, within a byte", () => {
    for (const count of [1, 7, 15]) {
      const all = Array.from({ length: count * count }, (_v, k) => k + 1);
      expect(
        all.map((label) => {
          const { from, to } = transitionOf(label, count);
          return transitionLabel(from, to, count);
        }),
      ).toEqual(all);
    }
    expect(transitionLabel(14, 14, 15)).toBeLessThan(CLASS_NODATA);
  });
  test("a label that two classes claim, sixteen classes, and none are refused", () => {
    const twice = [CLASSES[0]!, { ...CLASSES[1]!, before: [1] }];
    expect(() => coverClassesSchema.validateSync(twice)).toThrow("paired twice");
    const many = Array.from({ length: 16 }, (_v, k) => ({
      ...CLASSES[0]!,
      before: [k + 1],
      after: [],
    }));
    expect(() => coverClassesSchema.validateSync(many)).toThrow("At most 15 classes");
    expect(() => coverClassesSchema.validateSync([])).toThrow("pair their classes");
  });
});

test("the table: totals, what stayed, gain, loss, net and swap, by hand", () => {
  // Wood: 50 stay, 30 become crop. Crop: 10 become wood, 60 stay. Cells of 2 m².
  const tally = {
    zones: 2,
    entries: [
      [1, 20, 40],
      [256 + 1, 30, 60],
      [2, 30, 60],
      [3, 10, 20],
      [4, 60, 120],
      [0, 7, 14],
      [255, 9, 18],
    ] as [number, number, number][],
  };
  const table = fromToTable(tally, 2);
  const cells = (of: { cells: number }) => of.cells;
  expect(table.cells.map((row) => row.map(cells))).toEqual([
    [50, 30],
    [10, 60],
  ]);
  const [wood, crop] = table.classes;
  expect(
    [wood!.before, wood!.after, wood!.gain, wood!.loss, wood!.net, wood!.swap].map(cells),
  ).toEqual([80, 60, 10, 30, -20, 20]);
  expect([crop!.net, crop!.swap].map(({ areaM2 }) => areaM2)).toEqual([40, 40]);
  expect([table.total.cells, table.unchanged.areaM2]).toEqual([150, 220]);
  expect(fromToTable(tally, 2, 1).total.cells).toBe(30);
});

describe("the path of ground through several dates", () => {
  const grid = testGrid(6, 1);
  const info: ImageInfo = {
    ...{ grid, type: "class8", classes: named(["a", "b"]) },
    bands: [{ name: "class", unit: "", role: "classes" }],
  };
  const sources = memorySources({
    first: { info, bands: [Uint8Array.of(1, 1, 1, 2, 255, 1)] },
    second: { info, bands: [Uint8Array.of(1, 2, 2, 2, 1, 7)] },
    third: { info, bands: [Uint8Array.of(5, 6, 5, 6, 5, 5)] },
  });
  const evaluator = new Evaluator({ sources });
  const dates = ["first", "second", "third"].map(sourceNode);
  // The third date has labels of its own, and calls its woods otherwise.
  const classes = pathClasses(
    [
      { name: "Wood", color: "#2f6b45", before: [1], after: [1] },
      { name: "Crop", color: "#e0b04f", before: [2], after: [2] },
    ],
    [
      { legend: [], side: "before" },
      { legend: [], side: "after" },
      { legend: named(["Woods", "Crops"], 5), side: null },
    ],
  );

  test("is counted, with what has no class on some date on none", async () => {
    expect(classes.map(({ labels }) => labels)).toEqual([
      [[1], [1], [5]],
      [[2], [2], [6]],
    ]);
    const { paths, cells, level } = await coverPaths(
      evaluator,
      { dates, mask: null, classes },
      1e6,
    );
    expect([level, cells]).toEqual([0, 4]);
    expect(paths.map((one) => [one.path.join(), one.cells]).sort()).toEqual([
      ["0,0,0", 1],
      ["0,1,0", 1],
      ["0,1,1", 1],
      ["1,1,1", 1],
    ]);
  });
  test("is shown on the map", async () => {
    const shown = node("cover.path", { classes, path: [0, 1, 1] }, ...dates);
    const block = await evaluator.read(shown, 0, fullWindow(grid));
    expect([...block.bands[0]!]).toEqual([0, 1, 0, 0, CLASS_NODATA, 0]);
    expect((await evaluator.info(shown)).classes![0]!.name).toBe("Wood → Crop → Crop");
    const short = node("cover.path", { classes, path: [0, 1] }, ...dates);
    await expect(evaluator.info(short)).rejects.toThrow("A path names one class a date");
  });
});
