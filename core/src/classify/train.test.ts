import { Evaluator } from "../graph/evaluator";
import type { ImageInfo } from "../graph/image";
import { sourceNode } from "../graph/node";
import type { Grid } from "../grid/grid";
import { memorySources, testGrid } from "../testing/support";
import type { MultiPolygon } from "../vector/polygons";
import { type AreaValues, type PlacedArea, gatherCells } from "./gather";
import { inputsOf } from "./inputs";
import { rankInputs } from "./rankInputs";
import type { Signature } from "./signature";
import { EMPTY_CLASSIFY, classifySchema } from "./settings";
import { type TrainSettings, appliedPriors, heldAreas, train } from "./train";

const width = 40;
const height = 30;
const grid: Grid = testGrid(width, height);
const bands = ["red", "nir"].map((name) => ({ name, unit: "", role: "reflectance" as const }));
const info: ImageInfo = { grid, type: "float32", bands };
/** Left half dark, right half bright; both rise by a hundredth a row. */
const red = Float32Array.from({ length: width * height }, (_v, i) =>
  i % width < 20 ? 0.1 + 0.01 * Math.floor(i / width) : 0.5 + 0.01 * Math.floor(i / width),
);
const nir = red.map((value, i) => value / 2 + 0.001 * (i % 7));
nir[3 * width + 3] = NaN;
const evaluator = new Evaluator({ sources: memorySources({ a: { info, bands: [red, nir] } }) });

/** Cells from one corner to the other, as an area. */
const square = (id: string, label: number, [c0, r0, c1, r1]: number[]): PlacedArea => {
  const [x0, dx, , y0, , dy] = grid.transform;
  const at = (c: number, r: number): [number, number] => [x0 + c * dx, y0 + r * dy];
  const polygons: MultiPolygon = [
    [[at(c0!, r0!), at(c1!, r0!), at(c1!, r1!), at(c0!, r1!), at(c0!, r0!)]],
  ];
  return { id, label, polygons };
};
const dark = square("dark", 1, [2, 2, 6, 6]);
const bright = square("bright", 2, [30, 2, 36, 8]);
const settings: TrainSettings = {
  ...EMPTY_CLASSIFY,
  legend: [
    { label: 1, name: "Dark", color: "#111111", note: "" },
    { label: 2, name: "Bright", color: "#eeeeee", note: "" },
    { label: 7, name: "Nowhere", color: "#777777", note: "" },
  ],
  heldShare: 0,
};

describe("training cells", () => {
  test("are those whose centres lie in an area, without those that lack a number", async () => {
    const cells = await gatherCells(evaluator, sourceNode("a"), [dark, bright]);
    expect(cells.areas).toEqual([
      { id: "dark", label: 1, cells: 15, missing: 1, contested: 0, shared: 0 },
      { id: "bright", label: 2, cells: 36, missing: 0, contested: 0, shared: 0 },
    ]);
    expect([cells.values[0], cells.values[1]]).toEqual([red[2 * width + 2], nir[2 * width + 2]]);
    expect(cells.area).toHaveLength(51);
  });
  test("that two areas of one class cover count once, of two classes not at all", async () => {
    const twice = square("again", 1, [4, 2, 8, 6]);
    const over = square("over", 2, [6, 2, 10, 6]);
    const cells = await gatherCells(evaluator, sourceNode("a"), [dark, twice, over]);
    expect(cells.areas.map((area) => [area.cells, area.contested, area.shared])).toEqual([
      [15, 0, 0],
      [0, 8, 8],
      [8, 8, 0],
    ]);
    // An area that another one covers whole is not one outside the image.
    const { warnings } = train(settings, ["red", "nir"], cells);
    expect(warnings.filter((text) => text.includes("holds no cell"))).toEqual([]);
  });
  test("are read once: drawn anew, an area is read alone; cells that others cover are counted anew", async () => {
    const store = new Map<string, AreaValues>();
    const read = jest.spyOn(evaluator, "read");
    const all = [dark, bright];
    const first = await gatherCells(evaluator, sourceNode("a"), all, store);
    expect(await gatherCells(evaluator, sourceNode("a"), all, store)).toEqual(first);
    const reads = read.mock.calls.length;
    const over = square("over", 2, [4, 2, 6, 6]);
    const more = await gatherCells(evaluator, sourceNode("a"), [...all, over], store);
    expect(read.mock.calls.length).toBe(reads + 1);
    expect(more).toEqual(await gatherCells(evaluator, sourceNode("a"), [...all, over]));
    expect(more.areas[0]!.contested).toBe(8);
    read.mockRestore();
  });
  test("that are too many are refused before they are read", async () => {
    const info = await evaluator.info(sourceNode("a"));
    const huge = { ...info, grid: { ...info.grid, width: 5000, height: 5000 } };
    const large = { info: () => Promise.resolve(huge), read: () => Promise.reject(new Error()) };
    const whole = square("whole", 1, [0, 0, 5000, 5000]);
    await expect(gatherCells(large, sourceNode("a"), [whole])).rejects.toThrow(
      /hold 25000000 cells; up to 4000000/,
    );
  });
  test("beyond the image there are none", async () => {
    const far = square("far", 1, [-90, -90, -80, -80]);
    const edge = square("edge", 1, [-3, -3, 1, 1]);
    const cells = await gatherCells(evaluator, sourceNode("a"), [far, edge]);
    expect(cells.areas.map((area) => area.cells)).toEqual([0, 1]);
  });
});

describe("training", () => {
  const trained = async (areas: PlacedArea[], more: Partial<TrainSettings> = {}) =>
    train(
      { ...settings, ...more },
      ["red", "nir"],
      await gatherCells(evaluator, sourceNode("a"), areas),
    );
  test("takes mean and deviation of the cells, and leaves classes without any out", async () => {
    const { classes, model, warnings, pairs } = await trained([dark, bright]);
    // Rows 2 to 7 of the bright half, six cells each: 0.52 to 0.57.
    expect(classes[1]!.mean[0]).toBeCloseTo(0.545, 7);
    expect(classes[1]!.deviation[0]).toBeCloseTo(0.01 * Math.sqrt((35 / 12) * (36 / 35)), 7);
    expect(model.classes.map(({ label }) => label)).toEqual([1, 2]);
    expect(warnings).toEqual([
      "Left out, without a training cell on this date: Nowhere.",
      "1 training cells have no number in some input, and do not count.",
    ]);
    expect(pairs).toHaveLength(1);
    expect(pairs[0]!.apart.jeffriesMatusita).toBeGreaterThan(1.99);
  });
  test("needs two classes with cells, and says which lack them", async () => {
    await expect(trained([dark])).rejects.toMatchObject({
      message: "Only Dark has training cells on this date",
      field: "areas",
      hint: "Draw areas for Bright, Nowhere where the image has cells.",
    });
  });
  test("says of a class with few cells that its spread is lent", async () => {
    const few = square("few", 1, [2, 2, 4, 3]);
    const { classes, warnings } = await trained([few, bright]);
    expect(classes[0]!.lent).toBeGreaterThan(0);
    expect(warnings.join(" ")).toMatch(/Dark has 2 cells, too few or too alike/);
  });
  test("checks against whole areas that were held aside", async () => {
    const more = [square("d2", 1, [8, 10, 12, 14]), square("b2", 2, [30, 20, 34, 24])];
    const { check, classes } = await trained([dark, bright, ...more], { heldShare: 0.5 });
    expect(check).toMatchObject({ right: check!.cells });
    expect(check!.cells).toBe(classes.reduce((sum, one) => sum + one.held, 0));
    expect(check!.matrix[0]![1]).toBe(0);
    // The map itself is trained on all of them.
    expect(classes[0]!.cells).toBe(15 + 16);
  });
  test("refuses an input that is the same everywhere, by its name", async () => {
    const flat = new Float32Array(width * height).fill(0.3);
    const same = new Evaluator({ sources: memorySources({ a: { info, bands: [red, flat] } }) });
    const cells = await gatherCells(same, sourceNode("a"), [dark, bright]);
    expect(() => train(settings, ["red", "nir"], cells)).toThrow(
      "nir has one value in all training cells of every class",
    );
  });
  test("grows a forest with what it found out of the bag, and what its inputs gave", async () => {
    const forest = { trees: 20, depth: 4, seed: 3 };
    const { model, outOfBag, importance } = await trained([dark, bright], {
      ...{ method: "forest", forest },
    });
    expect(model.kind).toBe("forest");
    expect(outOfBag).toBe(0);
    expect(importance!.reduce((sum, one) => sum + one, 0)).toBeCloseTo(1, 9);
  });
  test("of areas a share is held aside, spread over them; one stays", () => {
    const areas = [1, 1, 1, 1, 2].map((label) => ({ label, cells: 5 }));
    expect([...heldAreas(areas, 0.5)]).toEqual([1, 3]);
    expect([...heldAreas(areas, 0)]).toEqual([]);
  });
  test("priors follow the training cells where that is asked for", async () => {
    const { classes } = await trained([dark, bright]);
    expect(appliedPriors({ ...settings, priors: "training" }, classes)).toEqual([15 / 51, 36 / 51]);
    expect(appliedPriors({ ...settings, method: "forest" }, classes)).toEqual([]);
  });
  test("priors that are given are taken in proportion; all nought are refused", async () => {
    const { classes } = await trained([dark, bright]);
    const [first, second] = classes.map(({ label }) => String(label));
    const given = (frequencies: Record<string, number>) => ({
      ...{ ...settings, priors: "given" as const, frequencies },
    });
    expect(appliedPriors(given({ [first!]: 10, [second!]: 40 }), classes)).toEqual([0.2, 0.8]);
    // A class of which nothing is said has an equal share of the legend.
    const equal = 100 / settings.legend.length;
    expect(appliedPriors(given({ [first!]: equal * 3 }), classes)).toEqual([0.75, 0.25]);
    const none = { priors: "given" as const, frequencies: { [first!]: 0, [second!]: 0 } };
    await expect(trained([dark, bright], none)).rejects.toThrow(/All priors are nought/);
  });
});

describe("inputs of a date", () => {
  const sources = memorySources({
    s: {
      info: {
        grid,
        type: "float32",
        bands: [
          { name: "quality", unit: "", role: "quality" },
          { name: "VV", unit: "", role: "power", polarisation: "VV" },
          { name: "ndvi", unit: "", role: "value" },
        ],
      },
      bands: [red, red, nir],
    },
  });
  const date = async () => ({ node: sourceNode("s"), info: await sources.info("s") });
  test("are its measured bands, power in decibels", async () => {
    const { node, names } = inputsOf(await date(), null);
    expect(names).toEqual(["VV", "ndvi"]);
    const block = await new Evaluator({ sources }).read(node, 0, {
      ...{ col: 1, row: 0, width: 1, height: 1 },
    });
    expect(block.bands.map((cells) => cells[0])).toEqual([
      Math.fround(10 * Math.log10(red[1]!)),
      nir[1],
    ]);
  });
  test("a band that a date lacks is named, with those it has", async () => {
    const of = await date();
    expect(() => inputsOf(of, ["B7"])).toThrow("The date has no band B7; it has VV, ndvi");
  });
});

test("settings: two classes of one name or number are refused, areas must be on Earth", () => {
  const { legend } = settings;
  const whole = { ...EMPTY_CLASSIFY, legend: [...legend] };
  expect(classifySchema.isValidSync(whole)).toBe(true);
  const twin = { ...legend[0]!, label: 9, name: "dark " };
  expect(() => classifySchema.validateSync({ ...whole, legend: [...legend, twin] })).toThrow(
    "Two classes are called dark",
  );
  const off: [number, number][] = [
    [0, 0],
    [200, 0],
    [0, 1],
    [0, 0],
  ];
  const areas = { x: { label: 1, sceneId: null, polygons: [[off]] } };
  expect(classifySchema.isValidSync({ ...whole, areas })).toBe(false);
});

describe("inputs by what they add", () => {
  /** Two classes of one spread, so and so far apart in every input, in deviations. */
  const twoClasses = (apart: number[], correlation = 0): Signature[] => {
    const n = apart.length;
    const covariance = Float64Array.from({ length: n * n }, (_v, k) =>
      k % (n + 1) === 0 ? 1 : correlation,
    );
    return [0, 1].map((side) => ({
      ...{ count: 500, covariance },
      mean: Float64Array.from(apart, (one) => side * one),
    }));
  };
  // Of normal distributions of one spread: 2 (1 − exp(−Δ² ÷ 8)).
  const distance = (squared: number) => 2 * (1 - Math.exp(-squared / 8));
  test("the one that parts the classes most comes first, one that parts nothing last", () => {
    const ranked = rankInputs(twoClasses([0.5, 0, 3]));
    expect(ranked.map(({ input }) => input)).toEqual([2, 0, 1]);
    expect(ranked[0]!.mean).toBeCloseTo(distance(9), 9);
    expect(ranked[1]!.least).toBeCloseTo(distance(9.25), 9);
    expect(ranked[2]!.mean).toBeCloseTo(distance(9.25), 9);
  });
  test("one that says what another says already adds less than one that says something else", () => {
    // Δᵀ Σ⁻¹ Δ of two inputs that go together by 0.9: (1 + 1 − 2 · 0.9) ÷ (1 − 0.81).
    const ranked = rankInputs(twoClasses([1, 1], 0.9));
    expect(ranked[1]!.mean).toBeCloseTo(distance(0.2 / 0.19), 9);
  });
});
