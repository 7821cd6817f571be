import { lcg } from "../../testing/support";
import { limitsSchema, NO_LIMITS } from "../limits/all";
import { rulesOn, rulesSchema } from "../rules";
import type { Sample } from "./bodies";
import { type FirstMap, firstWaterMap } from "./firstMap";
import { levelsOf, relativeLevels } from "./levels";

const SIDE = 80;
const asked = {
  levels: levelsOf("VV"),
  leastCells: 12,
  cellM: 20,
  otherIds: [] as string[],
  isWhole: true,
  isPhysical: true,
};
/** A sample of so many cells squared, with half a decibel of noise. */
function sampleOf(
  before: (row: number, col: number) => number,
  after: (row: number, col: number) => number,
  more: Partial<Sample> = {},
  side = SIDE,
): Sample {
  const random = lcg(11);
  const of = (level: (row: number, col: number) => number) =>
    Float32Array.from(
      { length: side * side },
      (_, i) => level(Math.floor(i / side), i % side) + random() - 0.5,
    );
  return { width: side, height: side, before: of(before), after: of(after), ...more };
}
const layer = (value: (row: number, col: number) => number) =>
  Float32Array.from({ length: SIDE * SIDE }, (_, i) => value(Math.floor(i / SIDE), i % SIDE));
const isInside = (row: number, col: number) => row > 20 && row < 50 && col > 20 && col < 60;
const namesOn = (sample: Sample, more: Partial<typeof asked> = {}) =>
  rulesOn(firstWaterMap([sample], { ...asked, ...more }).rules).map(({ name }) => name);

describe("settings that come of it can always be kept", () => {
  test.each([
    [
      "nothing is seen",
      sampleOf(
        () => NaN,
        () => NaN,
      ),
    ],
    [
      "only one date is seen",
      sampleOf(
        () => -10,
        () => NaN,
      ),
    ],
    [
      "a few cells",
      sampleOf(
        () => -10,
        () => -21,
        {},
        3,
      ),
    ],
    [
      "all water",
      sampleOf(
        () => -21,
        () => -21,
      ),
    ],
    [
      "all came under water",
      sampleOf(
        () => -9,
        () => -21,
      ),
    ],
    [
      "all is bright",
      sampleOf(
        () => 2,
        () => 2,
      ),
    ],
    [
      "all is very dark",
      sampleOf(
        () => -38,
        () => -38,
      ),
    ],
  ])("%s", async (_name, sample) => {
    const { rules, limits } = firstWaterMap([sample], asked);
    await expect(rulesSchema.validate(rules)).resolves.toBeTruthy();
    await expect(limitsSchema.validate({ ...NO_LIMITS, ...limits })).resolves.toBeTruthy();
    for (const { all } of rules) {
      const on = Object.fromEntries(all.map((one) => [`${one.layer}${one.op}`, one.value]));
      expect(on["measure<"] ?? -1).toBeLessThan(0);
      expect(on["measure>"] ?? 1).toBeGreaterThan(0);
    }
  });
});

test("fields that came under water are new water, and nothing else is", () => {
  const sample = sampleOf(
    () => -10,
    (row, col) => (isInside(row, col) ? -21 : -10),
  );
  const { rules, evidence } = firstWaterMap([sample], asked);
  expect(rulesOn(rules).map(({ name }) => name)).toEqual(["New water"]);
  expect(evidence.found).toBe(true);
  // What was water before cannot be new, by the rule itself.
  const before = rules[0]!.all.find((one) => one.layer === "before")!;
  expect(before.op).toBe(">");
  expect(before.value).toBeGreaterThan(-18);
});

test("a lone cell, a speck under the smallest patch and a weak change are no evidence", () => {
  const dark = (holds: (row: number, col: number) => boolean, level = -21) =>
    namesOn(
      sampleOf(
        () => -10,
        (row, col) => (holds(row, col) ? level : -10),
      ),
    );
  expect(dark((row, col) => row === 30 && col === 30)).toEqual([]);
  expect(dark((row, col) => row > 30 && row < 34 && col > 30 && col < 34)).toEqual([]);
  expect(dark(isInside, -13)).toEqual([]);
});

describe("what became dark and was water before", () => {
  const lake = (level: number) => (row: number, col: number) => (isInside(row, col) ? level : -10);
  test("is told by an earlier date", () => {
    const calm = layer(lake(-21));
    const sample = sampleOf(lake(-11), lake(-21), { others: [calm] });
    const map = firstWaterMap([sample], { ...asked, otherIds: ["april"] });
    expect(map.evidence.found).toBe(false);
    expect(map.limits.standing).toMatchObject({ sceneIds: ["april"], label: 1 });
    expect(map.evidence.notes.map(({ text }) => text).join(" ")).toMatch(
      /rough on the before date/,
    );
  });
  test("is told by the other polarisation, and a rule of its own keeps it", () => {
    const cross = layer((row, col) => (isInside(row, col) ? -28 : -17));
    const sample = sampleOf(lake(-11), lake(-21), { crossBefore: cross, crossAfter: cross });
    expect(namesOn(sample)).toEqual(["Water, rough on one date"]);
  });
  const doubtsOf = ({ evidence }: FirstMap) =>
    evidence.notes
      .filter(({ tone }) => tone === "doubt")
      .map(({ text }) => text)
      .join(" ");
  test("is a class of its own where nothing tells, and no new water", () => {
    // Fields differ from one another, by more than a lake within itself.
    const crops = (_row: number, col: number) => (Math.floor(col / 8) % 2 ? 1.5 : -1.5);
    const among = (level: number) => (row: number, col: number) =>
      isInside(row, col) ? level : -10 + crops(row, col);
    const map = firstWaterMap([sampleOf(among(-11), among(-21))], asked);
    expect(rulesOn(map.rules).map(({ name }) => name)).toEqual([
      "New water, or rough before: unsure",
    ]);
    expect(map.evidence.found).toBe(false);
    expect(doubtsOf(map)).toMatch(/^No sure sign .* as even before as water is/);
  });
  test("stays new water where fields came under water as well, with a doubt", () => {
    const isField = (row: number, col: number) => row >= 55 && row < 78 && col >= 5 && col < 75;
    const crops = (_row: number, col: number) => -10 + (Math.floor(col / 8) % 2 ? 1.5 : -1.5);
    const before = (row: number, col: number) => (isInside(row, col) ? -11 : crops(row, col));
    const after = (row: number, col: number) =>
      isField(row, col) || isInside(row, col) ? -21 : crops(row, col);
    const map = firstWaterMap([sampleOf(before, after)], asked);
    expect(rulesOn(map.rules).map(({ name }) => name)).toEqual(["New water"]);
    expect(doubtsOf(map)).toMatch(/of the new water were as even before as water is/);
  });
});

describe("what is dark on both dates", () => {
  const dark = (level: number) => (row: number, col: number) => (isInside(row, col) ? level : -10);
  const ground = (rise: (row: number, col: number) => number, bank: number) => ({
    elevation: layer((row, col) => rise(row, col) + (isInside(row, col) ? 0 : bank)),
    slope: layer(
      (row, col) => (Math.atan((rise(row, col + 1) - rise(row, col)) / 20) * 180) / Math.PI,
    ),
  });
  test.each([
    ["level, below its banks: standing water", () => 5, 2, "Standing water"],
    ["tilted: not sure", (_row: number, col: number) => 0.5 * col, 0, "Dark on both dates, unsure"],
    ["above the ground around it: not sure", () => 5, -3, "Dark on both dates, unsure"],
  ])("%s", (_name, rise, bank, wanted) => {
    expect(namesOn(sampleOf(dark(-21), dark(-21), ground(rise, bank)))).toEqual([wanted]);
  });
  test("without elevation is water only where it is as dark as water", () => {
    expect(namesOn(sampleOf(dark(-21), dark(-21)))).toEqual(["Standing water"]);
    expect(namesOn(sampleOf(dark(-16), dark(-16)))).toEqual(["Dark on both dates, unsure"]);
  });
});

describe("smooth ground that is as dark as the water beside it", () => {
  const isAirfield = (row: number, col: number) => row >= 60 && row < 72 && col >= 10 && col < 50;
  const dark = (row: number, col: number) =>
    isInside(row, col) || isAirfield(row, col) ? -21 : -10;
  const pair = (slope: (row: number, col: number) => number) =>
    sampleOf(dark, dark, {
      elevation: layer((row, col) => (isInside(row, col) ? 5 : 7)),
      slope: layer((row, col) => (isAirfield(row, col) ? slope(row, col) : 0)),
      drainage: layer(() => 0),
    });
  test("is parted from it by a rule where four fifths of its cells slope", () => {
    const { rules } = firstWaterMap([pair(() => 2)], asked);
    const water = rulesOn(rules).find(({ name }) => name === "Standing water")!;
    expect(water.all).toContainEqual({ layer: "slope", op: "<", value: 1 });
  });
  test("is in one class with it where only its rim slopes, and that is said", () => {
    // A third of its cells slope steeply: the mean alone would part the two.
    const { rules, evidence } = firstWaterMap([pair((_row, col) => (col < 24 ? 4 : 0))], asked);
    const names = rulesOn(rules).map(({ name }) => name);
    expect(names[0]).toBe("Standing water or smooth ground");
    expect(evidence.notes.map(({ text }) => text).join(" ")).toMatch(
      /as dark as water is in the class "Standing water or smooth ground"/,
    );
  });
});

test("plants in water: brighter beside it, in this polarisation more than in the other", () => {
  const beside = (row: number, col: number) => row >= 50 && row < 60 && col > 20 && col < 60;
  const wet = (plants: number) => (row: number, col: number) => {
    if (isInside(row, col)) {
      return -21;
    }
    return beside(row, col) ? -10 + plants : -10;
  };
  const cross = (plants: number) =>
    layer((row, col) => {
      if (isInside(row, col)) {
        return -28;
      }
      return beside(row, col) ? -17 + plants : -17;
    });
  const flat = layer((row, col) => (isInside(row, col) ? -17 : -17));
  const pair = (plants: number, plantsCross: number) =>
    sampleOf(() => -10, wet(plants), { crossBefore: flat, crossAfter: cross(plantsCross) });
  const stems = firstWaterMap([pair(4, 0.8)], asked);
  expect(rulesOn(stems.rules).map(({ name }) => name)).toContain("Flooded vegetation, likely");
  expect(stems.limits.beside).toMatchObject({ label: 4, of: 1, withinCells: 25 });
  // Wet soil brightens both alike.
  expect(namesOn(pair(4, 4))).not.toContain("Flooded vegetation, likely");
});

test("power that is not calibrated goes by the scene, and that is said", () => {
  const sample = sampleOf(
    () => 60,
    (row, col) => (isInside(row, col) ? 49 : 60),
  );
  const map = firstWaterMap([sample], { ...asked, levels: relativeLevels(60), isPhysical: false });
  expect(rulesOn(map.rules).map(({ name }) => name)).toEqual(["New water"]);
  expect(map.evidence.notes.some(({ text }) => text.includes("not calibrated"))).toBe(true);
});
