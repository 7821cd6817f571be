import { utm } from "../geodesy/crs";
import { Evaluator } from "../graph/evaluator";
import type { ClassInfo, ImageInfo } from "../graph/image";
import { sourceNode } from "../graph/node";
import { fullWindow, northUp } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";
import { memorySources } from "../testing/support";
import { groundPatches } from "../cover/groundPatches";
import { proposedUnlikely, unlikelyLabels, withUnlikely } from "../cover/unlikely";
import { buildChange } from "./build";
import { emptyValueSetup } from "./defaults";
import { type ChangeInputs, type ChangeSetup, changeSetupSchema } from "./setup";
import {
  type Transitions,
  classesOfTransitions,
  transitionsText,
  transitionsThere,
  unlikelyClasses,
} from "./transitions";

const id = (digit: number) => `00000000-0000-4000-8000-00000000000${digit}`;
const CLASSES = [
  { name: "Wood", color: "#2f6b45", before: [1], after: [1] },
  { name: "Crop", color: "#e0b04f", before: [2], after: [2] },
  { name: "Town", color: "#b9562b", before: [3], after: [3] },
];
// By three classes: wood to crop 2, wood to town 3, crop to town 6, town to wood 7.
const TRANSITIONS: Transitions = {
  ...{ beforeId: id(1), afterId: id(2), classes: CLASSES, show: "transition" },
  ...{ kept: [2, 6, 7], unlikely: [7] },
};

describe("classes of a from–to map", () => {
  test("are the transitions that count, in the colours of what they became", () => {
    const classes = classesOfTransitions(TRANSITIONS);
    expect(classes.map(({ label, name, groups }) => [label, name, groups])).toEqual([
      [2, "Wood to Crop", [2]],
      [6, "Crop to Town", [6]],
      [7, "Town to Wood", [7]],
    ]);
    // Each is alone in what it became; two that became crop are parted by how light they are.
    expect(classes[0]!.color).toBe("#e0b04f");
    const both = classesOfTransitions({ ...TRANSITIONS, kept: [2, 8] });
    expect(both.map(({ color }) => color)).toEqual(["#866a2f", "#eed49e"]);
    expect(unlikelyClasses(TRANSITIONS)).toEqual([7]);
  });
  test("are what the ground was, or that it changed", () => {
    const initial = classesOfTransitions({ ...TRANSITIONS, show: "initial" });
    expect(initial.map(({ label, name, groups }) => [label, name, groups])).toEqual([
      [1, "Was Wood", [2]],
      [2, "Was Crop", [6]],
      [3, "Was Town", [7]],
    ]);
    expect(unlikelyClasses({ ...TRANSITIONS, show: "initial" })).toEqual([3]);
    const changed = classesOfTransitions({ ...TRANSITIONS, show: "changed" });
    expect(changed.map(({ groups }) => groups)).toEqual([[2, 6, 7]]);
    expect(classesOfTransitions({ ...TRANSITIONS, kept: [] })).toHaveLength(1);
  });
  test("are told in words with what does not count left out", () => {
    expect(transitionsText(TRANSITIONS)).toBe(
      "by transition; classes in common: Wood, Crop, Town; counted: Wood to Crop, Crop to Town, Town to Wood",
    );
  });
});

test("a map has the transitions that there is ground of, as much as a patch of it needs", () => {
  const ground = (cells: number) => ({ cells, areaM2: 900 * cells });
  const table = {
    cells: [
      [ground(90), ground(30), ground(0)],
      [ground(0), ground(50), ground(11)],
      [ground(12), ground(0), ground(40)],
    ],
  };
  const pair = { beforeId: id(1), afterId: id(2), classes: CLASSES };
  const wanted = { show: "changed" as const, unlikely: [{ from: "Town", to: "Wood" }] };
  expect(transitionsThere(pair, table, wanted)).toEqual({
    ...{ ...pair, show: "changed", kept: [2, 6, 7], unlikely: [7] },
  });
  // Of eleven cells no patch of twelve is left.
  const few = transitionsThere(pair, table, { ...wanted, unlikely: [], leastCells: 12 });
  expect([few.kept, few.unlikely]).toEqual([[2, 7], []]);
});

describe("transitions that hardly happen", () => {
  const named = (names: string[]) => names.map((name) => ({ ...CLASSES[0]!, name }));
  test("are proposed by the names of the classes: what is built stays, what burned is dry", () => {
    expect(proposedUnlikely(named(["Woodland", "Built-up", "Burnt ground", "Open water"]))).toEqual(
      [
        { from: "Built-up", to: "Woodland" },
        { from: "Built-up", to: "Burnt ground" },
        { from: "Built-up", to: "Open water" },
        { from: "Burnt ground", to: "Open water" },
      ],
    );
  });
  test("are a list that somebody adds to and takes from, whatever the case of the names", () => {
    const one = { from: "wood ", to: "CROP" };
    const all = withUnlikely([{ from: "Town", to: "Wood" }], one, true);
    expect(unlikelyLabels(CLASSES, all)).toEqual([2, 7]);
    const less = withUnlikely(all, { from: "Wood", to: "Crop" }, false);
    expect(unlikelyLabels(CLASSES, less)).toEqual([7]);
  });
});

describe("a change map of transitions", () => {
  const grid = northUp(utm(27, true), 500000, 5170000, 30, 30, 8, 2);
  const values = (): ImageInfo => ({
    ...{ grid, type: "float32" },
    bands: [{ name: "NDVI", unit: "", role: "value" }],
  });
  const labelled = (): ImageInfo => ({
    ...{ grid, type: "class8" },
    bands: [{ name: "class", unit: "", role: "classes" }],
    classes: CLASSES.map(({ name, color }, k): ClassInfo => ({ label: k + 1, name, color })),
  });
  const was = Uint8Array.of(1, 1, 1, 2, 2, 3, 9, 255, 1, 1, 2, 2, 3, 3, 3, 3);
  const is = Uint8Array.of(2, 2, 3, 3, 2, 1, 1, 1, 1, 2, 3, 2, 3, 3, 3, 1);
  const before = Float32Array.from(was, () => 0.5);
  before[10] = NaN;
  const sources = memorySources({
    b: { info: values(), bands: [before] },
    a: { info: values(), bands: [new Float32Array(16).fill(0.1)] },
    w: { info: labelled(), bands: [was] },
    i: { info: labelled(), bands: [is] },
  });
  const evaluator = new Evaluator({ sources });
  const inputs: ChangeInputs = {
    before: { node: sourceNode("b"), info: values() },
    after: { node: sourceNode("a"), info: values() },
    ...{ elevation: null, studyArea: null },
    covers: { before: { id: "w", info: labelled() }, after: { id: "i", info: labelled() } },
  };
  const start = emptyValueSetup(values().bands, { hazard: "land cover", hasStudyArea: false });
  const setup: ChangeSetup = {
    ...start,
    transitions: TRANSITIONS,
    limits: { ...start.limits, seenMarginCells: 0, minPatchCells: null },
  };
  const labelsOf = async (of: ChangeSetup) => [
    ...(await evaluator.read(buildChange(inputs, of).classes, 0, fullWindow(grid))).bands[0]!,
  ];
  const NONE = CLASS_NODATA;

  test("holds what counts; the rest is no change, and what is unpaired or unseen is not counted", async () => {
    expect(changeSetupSchema.validateSync(setup, { strict: true })).toEqual(setup);
    expect(await labelsOf(setup)).toEqual([
      ...[2, 2, 0, 6, 0, 7, NONE, NONE],
      ...[0, 2, NONE, 0, 0, 0, 0, 7],
    ]);
  });
  test("goes through limits as any other", async () => {
    const limits = { ...setup.limits, minPatchCells: 2 };
    const labels = await labelsOf({ ...setup, limits });
    // Three cells of wood to crop touch; the others are alone.
    expect(labels.filter((label) => label === 2)).toHaveLength(3);
    expect(labels).not.toContain(7);
    const { stages } = buildChange(inputs, { ...setup, limits });
    expect(stages.map(({ name }) => name)).toEqual(["rules", "seen", "minimumPatch"]);
  });
  test("needs both classified dates", () => {
    expect(() => buildChange({ ...inputs, covers: null }, setup)).toThrow(
      "A classified date of this map is not in the study, or not ready",
    );
  });
  test("falls into pieces, corners included, the largest first", async () => {
    const { groups } = buildChange(inputs, setup);
    const found = await groundPatches(evaluator, groups!.groups, 2, { maxCells: 1e6, most: 1 });
    expect([found.level, found.count, found.patches[0]!.cells]).toEqual([0, 1, 3]);
    const town = await groundPatches(evaluator, groups!.groups, 7, { maxCells: 1e6, most: 1 });
    expect([town.count, town.patches.length, town.patches[0]!.cells]).toEqual([2, 1, 1]);
    // A cell of 30 m, on the ellipsoid a little more or less.
    expect(town.areaM2 / 1800).toBeCloseTo(1, 2);
    const { west, east, south, north } = town.patches[0]!;
    expect((north - south) * 111_000).toBeCloseTo(30, -1);
    expect(east).toBeGreaterThan(west);
  });
});
