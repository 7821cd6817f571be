import { emptySetup } from "../change/defaults";
import { floodChain } from "../chain/radarChain";
import { gridOf } from "../chain/family";
import { utm } from "../geodesy/crs";
import { cellSize, northUp } from "../grid/grid";
import { addToHistogram, emptyHistogram } from "../raster/histogram";
import { anywhere, chainBy, compareOf, recipeClasses, setupBy } from "./apply";
import { type MadeFacts, doubtsOf } from "./doubts";
import { FIRST_RECIPES, type Recipe, USUAL_LOOK_FIRST, notForPair, recipeSchema } from "./recipe";

const grid = northUp(utm(27, true), 490_000, 5_180_000, 10, 10, 1000, 800);
const elevationId = "0a000000-0000-4000-8000-000000000001";
const proposed = floodChain(grid, { elevationId, looks: 4.4, rangeLooks: 1, azimuthLooks: 1 });
const power = (name: string) => ({ name, role: "power" as const, unit: "" });
const facts = {
  bands: [power("VH"), power("VV")],
  looks: 4.4,
  hasStudyArea: true,
  hasElevation: true,
};
const recipe = (more: Partial<Recipe> = {}): Recipe => ({ ...FIRST_RECIPES.flood, ...more });

describe("a recipe", () => {
  test.each(Object.entries(FIRST_RECIPES))("%s is one by its schema", (_name, one) => {
    expect(recipeSchema.validateSync(one, { strict: true })).toEqual(one);
  });

  test("is not for dates of another sensor than those that it prepares", () => {
    const dates = (...kinds: string[]) => kinds.map((kind) => ({ kind, name: `One of ${kind}` }));
    expect(notForPair(recipe(), dates("radar", "optical"))).toBe(
      "“Flood on radar” is for radar dates; One of optical is optical",
    );
    // What no sensor is known of is taken at its word.
    expect(notForPair(recipe(), dates("other", "classes"))).toBeNull();
    expect(notForPair(recipe({ family: null }), dates("radar", "optical"))).toBeNull();
  });

  test("takes from a chain what holds anywhere, and gives it to another place", () => {
    const held = anywhere(proposed);
    expect(held.terrain).not.toHaveProperty("elevationId");
    expect(held.terrain).not.toHaveProperty("grid");
    const other = northUp(utm(31, false), 300_000, 400_000, 10, 10, 500, 500);
    const there = floodChain(other, {
      ...{ elevationId: null, looks: 9, rangeLooks: 2, azimuthLooks: 2 },
    });
    const chain = chainBy(recipe({ chain: held }), "radar", there);
    expect(gridOf("radar", chain)).toEqual(other);
    expect(chain.terrain).toMatchObject({ elevationId: null });
    expect(chain.looks).toEqual(proposed.looks);
  });

  test("makes the study grid anew where it has a cell size of its own", () => {
    const chain = chainBy(recipe({ cellSize: 25 }), "radar", proposed);
    const own = gridOf("radar", chain);
    expect(cellSize(own)).toEqual([25, 25]);
    expect(own.crs.code).toBe(grid.crs.code);
    // All of the ground, in cells of 25 metres: 10 by 8 km.
    expect(own.width * 25).toBeGreaterThanOrEqual(10_000);
    expect(own.width * 25).toBeLessThan(10_100);
    expect(own.height * 25).toBeGreaterThanOrEqual(8000);
  });

  test("with a step that there is not is refused by its name", () => {
    expect(() => chainBy(recipe({ chain: { polish: {} } }), "radar", proposed)).toThrow(/"polish"/);
  });

  test("without settings of its own compares as a study begins", () => {
    expect(setupBy(recipe(), facts)).toEqual(emptySetup(facts));
  });

  test("finds its band by name, and leaves out what the place lacks", () => {
    const setup = { ...emptySetup(facts), band: 1, bands: [1, 0] };
    const compare = compareOf({ bands: facts.bands, setup });
    expect([compare.band, compare.bands]).toEqual(["VV", ["VV", "VH"]]);
    const there = setupBy(recipe({ compare }), {
      ...{ bands: [power("VV"), power("VH")], looks: 4, hasStudyArea: false, hasElevation: false },
    });
    expect([there.band, there.bands]).toEqual([0, [0, 1]]);
    expect(there.limits).toMatchObject({ studyArea: false, maxSlopeDeg: null });
    expect(there.rules).toEqual(setup.rules);
    const lacks = { ...facts, bands: [power("HH")] };
    expect(() => setupBy(recipe({ compare }), lacks)).toThrow(
      /no band "VV": the date before has HH/,
    );
  });

  test("takes along that classes are compared, and leaves how they are told to each study", () => {
    const setup = emptySetup(facts);
    expect(recipeClasses(setup)).toBeNull();
    const labels = { kept: [2], unlikely: [], classes: [] };
    const transitions = { beforeId: "b", afterId: "a", show: "changed" as const, ...labels };
    expect(recipeClasses({ ...setup, transitions })).toEqual({ show: "changed", by: null });
    const compare = compareOf({ bands: facts.bands, setup: { ...setup, transitions } });
    expect(compare).not.toHaveProperty("transitions");
  });

  test("does not take along what is of one study", () => {
    const setup = emptySetup(facts);
    const own = { ...setup, coverId: elevationId };
    const of = { bands: facts.bands };
    expect(() => compareOf({ ...of, setup: own })).toThrow(/which no other one has/);
    const standing = { sceneIds: [elevationId], op: "<" as const, value: -14, label: 1 };
    const limits = { ...setup.limits, standing };
    expect(compareOf({ ...of, setup: { ...setup, limits } }).limits).not.toHaveProperty("standing");
  });
});

describe("doubts of a map that nobody looked at", () => {
  /** Cells in two heaps, at -20 and at -8 dB, or all along the axis. */
  function heap(isClear: boolean) {
    const histogram = emptyHistogram(-30, 10, 400);
    const clear = (k: number) => (k % 2 ? -20 : -8) + (k % 100) / 100;
    const even = (k: number) => -25 + (k % 100) / 4;
    addToHistogram(
      histogram,
      Float32Array.from({ length: 20_000 }, (_v, k) => (isClear ? clear(k) : even(k))),
    );
    return histogram;
  }
  const rules = [
    {
      ...{ label: 1, name: "New water", color: "#c8246f" },
      all: [{ layer: "after" as const, op: "<" as const, value: -14 }],
    },
  ];
  const made = (more: Partial<MadeFacts> = {}): MadeFacts => ({
    ...{ seenCells: 9000, allCells: 10_000, changedCells: 800, rules, isByRules: true },
    ...{ isDecibel: true, notSure: [] },
    histograms: { before: heap(true), after: heap(true), measure: heap(true) },
    ...more,
  });
  const of = (more: Partial<MadeFacts>) => doubtsOf(made(more), USUAL_LOOK_FIRST);

  test("there are none where all is clear", () => {
    expect(of({})).toEqual([]);
  });

  test("dates that do not overlap, or hardly", () => {
    expect(of({ seenCells: 0, changedCells: 0 })).toEqual([
      expect.stringMatching(/do not overlap/),
    ]);
    expect(of({ seenCells: 4000 })).toEqual([expect.stringMatching(/Only 40 % of the study area/)]);
  });

  test("few cells", () => {
    expect(of({ changedCells: 99 })).toEqual([expect.stringMatching(/Only 99 cells changed/)]);
    expect(of({ changedCells: 100 })).toEqual([]);
  });

  test("a threshold on which much hangs, by how much", () => {
    const flat = heap(false);
    const [text] = of({ histograms: { before: flat, after: flat, measure: flat } });
    // Even from -25 to 0.25 dB: 11 dB lie below -14, and a step on either side is 1 dB of them.
    expect(text).toBeUndefined();
    const strict = { ...USUAL_LOOK_FIRST, mostSwing: 0.05 };
    const said = doubtsOf(
      made({ histograms: { before: flat, after: flat, measure: flat } }),
      strict,
    );
    expect(said).toEqual([expect.stringMatching(/“New water” is fragile: moved by 0.5 dB.* 9 %/)]);
    expect(doubtsOf(made({ isByRules: false }), { ...strict, mostSwing: 0 })).toEqual([]);
  });

  test("of grades of one change only the widest counts: the others part grades, not change", () => {
    const flat = heap(false);
    const histograms = { before: flat, after: flat, measure: flat };
    const grade = (label: number, value: number) => ({
      ...{ label, name: `Grade ${label}`, color: "#b8562f" },
      all: [{ layer: "measure" as const, op: ">=" as const, value }],
    });
    const limits = { ...USUAL_LOOK_FIRST, mostSwing: 0.2 };
    // Over -1 dB lie 1.25 of 25.25 dB, over -15 dB 15.25: a step of 0.5 on either side is 1 dB.
    const strict = doubtsOf(made({ histograms, rules: [grade(1, -1)] }), limits);
    expect(strict).toEqual([expect.stringMatching(/“Grade 1” is fragile/)]);
    expect(doubtsOf(made({ histograms, rules: [grade(1, -1), grade(2, -15)] }), limits)).toEqual(
      [],
    );
  });

  test("what the pair itself leaves unsure is said as it is", () => {
    expect(of({ notSure: ["Wind may have roughened the lake."] })).toEqual([
      "Wind may have roughened the lake.",
    ]);
  });
});
