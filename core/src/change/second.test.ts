import { InputError } from "../errors";
import { Evaluator } from "../graph/evaluator";
import type { BandInfo, ImageInfo } from "../graph/image";
import { sourceNode } from "../graph/node";
import { fullWindow, northUp } from "../grid/grid";
import { utm } from "../geodesy/crs";
import { labelCells, realCells } from "../raster/block";
import { memorySources } from "../testing/support";
import {
  SAID,
  saidAreas,
  saidClasses,
  saidLabel,
  saidOf,
  saidShares,
  saidTogether,
} from "./confirmed";
import { buildChange } from "./build";
import { emptySetup } from "./defaults";
import { type SecondSensor, secondSchema, secondWarnings } from "./second";
import {
  type SecondCandidate,
  firstCondition,
  firstLook,
  nearScenes,
  proposeSecond,
} from "./secondPick";
import type { ChangeInputs, ChangeSetup, ChangeSide } from "./setup";

const grid = northUp(utm(27, true), 500000, 5170000, 20, 20, 6, 1);
const power: BandInfo = { name: "VV", unit: "", role: "power", polarisation: "VV" };
const light = (name: string, wavelengthNm: number): BandInfo => ({
  ...{ name, unit: "", role: "reflectance", wavelengthNm },
});
const radar: ImageInfo = { grid, type: "float32", bands: [power] };
const optical: ImageInfo = {
  ...{ grid, type: "float32" },
  bands: [light("B3", 561), light("B5", 865), light("B6", 1609)],
};
const mask: ImageInfo = {
  ...{ grid, type: "float32" },
  bands: [{ name: "cloud", unit: "", role: "mask" }],
};
/** −20 dB and −8 dB. */
const [DARK, BRIGHT] = [0.01, 10 ** -0.8];
const sources = memorySources({
  before: { info: radar, bands: [Float32Array.of(BRIGHT, BRIGHT, BRIGHT, BRIGHT, DARK, BRIGHT)] },
  after: { info: radar, bands: [Float32Array.of(DARK, DARK, DARK, DARK, DARK, BRIGHT)] },
  // Normalised differences of green and near infrared: 0.5, 0.5, −0.5, not seen, 0.5, −0.5.
  optical: {
    info: optical,
    bands: [
      Float32Array.of(0.09, 0.09, 0.1, NaN, 0.09, 0.1),
      Float32Array.of(0.03, 0.03, 0.3, NaN, 0.03, 0.3),
      Float32Array.of(0.01, 0.01, 0.2, NaN, 0.01, 0.2),
    ],
  },
  cloud: { info: mask, bands: [Float32Array.of(0, 1, 0, 0, 0, 0)] },
});
const side = (id: string, info: ImageInfo): ChangeSide => ({ node: sourceNode(id), info });
const ID = "11111111-1111-4111-8111-111111111111";
const second: SecondSensor = {
  ...{ beforeId: null, afterId: ID, look: { index: "ndwi" } },
  confirms: { labels: [1], layer: "secondAfter", op: ">", value: 0 },
};
const start = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
const setup: ChangeSetup = {
  ...start,
  speckle: { ...start.speckle, filter: "none" },
  rules: [
    {
      ...{ label: 1, name: "New water", color: "#c8246f" },
      all: [
        { layer: "after", op: "<", value: -17 },
        { layer: "before", op: ">", value: -12 },
      ],
    },
    { label: 2, name: "Rest", color: "#33498c", all: [{ layer: "before", op: "<", value: -17 }] },
  ],
  limits: {
    studyArea: false,
    seenMarginCells: 0,
    maxSlopeDeg: null,
    minPatchCells: null,
    neighbours: 8,
  },
  second,
};
const inputs: ChangeInputs = {
  ...{ before: side("before", radar), after: side("after", radar) },
  ...{ elevation: null, studyArea: null },
  second: { before: null, after: { ...side("optical", optical), cloud: side("cloud", mask) } },
};
const evaluator = new Evaluator({ sources });
const cellsOf = async (made: ChangeSetup, which: "classes" | "confirmed") =>
  labelCells(
    (await evaluator.read(buildChange(inputs, made)[which]!, 0, fullWindow(grid))).bands[0]!,
  );
const withRules = (rules: ChangeSetup["rules"]): ChangeSetup => ({ ...setup, rules });

describe("a second sensor on the classes of a map", () => {
  test("confirms, does not, or did not see: cloud and what its scene lacks", async () => {
    const said = [...(await cellsOf(setup, "confirmed"))].map(saidOf);
    // Water; water under cloud; no water by the index; off the scene; another class; no class.
    expect(said).toEqual(["confirmed", "unseen", "against", "unseen", null, null]);
  });

  test("leaves the map as it is, until what it does not confirm is to leave", async () => {
    expect([...(await cellsOf(setup, "classes"))]).toEqual([1, 1, 1, 1, 2, 0]);
    const dropped = { ...setup, limits: { ...setup.limits, against: true } };
    expect([...(await cellsOf(dropped, "classes"))]).toEqual([1, 1, 0, 1, 2, 0]);
    expect([...(await cellsOf(dropped, "confirmed"))].map(saidOf)).toEqual([
      ...["confirmed", "unseen", null, "unseen", null, null],
    ]);
  });

  test("gives rules a layer: a condition over it does not hold where it saw nothing", async () => {
    const seenWater = withRules([
      {
        ...{ label: 3, name: "Seen by both", color: "#1b7f5c" },
        all: [
          { layer: "after", op: "<", value: -17 },
          { layer: "secondAfter", op: ">", value: 0 },
        ],
      },
      ...setup.rules,
    ]);
    expect([...(await cellsOf(seenWater, "classes"))]).toEqual([3, 1, 1, 1, 3, 0]);
  });

  test("its layer is that of the index by hand", async () => {
    const nodes = buildChange(inputs, setup);
    const layer = nodes.layers.find(({ name }) => name === "secondAfter")!.node;
    const cells = realCells((await evaluator.read(layer, 0, fullWindow(grid))).bands[0]!);
    expect(cells[0]).toBeCloseTo((0.09 - 0.03) / (0.09 + 0.03), 6);
    expect(cells[2]).toBeCloseTo((0.1 - 0.3) / (0.1 + 0.3), 6);
    expect([...cells].map(Number.isNaN)).toEqual([false, true, false, true, false, false]);
  });

  test("a rule or a limit that asks for it without one says what to do", () => {
    const none = { ...setup, second: null };
    expect(buildChange(inputs, none).confirmed).toBeNull();
    const rules: ChangeSetup["rules"] = [
      { ...setup.rules[0]!, all: [{ layer: "secondAfter", op: ">", value: 0 }] },
    ];
    expect(() => buildChange(inputs, { ...none, rules })).toThrow(/second sensor, and none is set/);
    const limits = { ...setup.limits, against: true };
    expect(() => buildChange(inputs, { ...none, limits })).toThrow(/asked about classes/);
    const ofChange = {
      ...second,
      confirms: { ...second.confirms!, layer: "secondChange" as const },
    };
    expect(() => buildChange(inputs, { ...setup, second: ofChange })).toThrow(
      /no scene near before/,
    );
    const red = { ...second, look: { index: "ndvi" } };
    expect(() => buildChange(inputs, { ...setup, second: red })).toThrow(InputError);
    const band = { ...second, look: { band: "B9" } };
    expect(() => buildChange(inputs, { ...setup, second: band })).toThrow(/no band B9/);
  });

  test("power is looked at in decibels", async () => {
    const asked: SecondSensor = {
      ...{ beforeId: ID, afterId: ID, look: { band: "VV" } },
      confirms: { labels: [1], layer: "secondChange", op: "<", value: -3 },
    };
    const both = { before: side("before", radar), after: side("after", radar) };
    const nodes = buildChange({ ...inputs, second: both }, { ...setup, second: asked });
    const layer = nodes.layers.find(({ name }) => name === "secondChange")!.node;
    const cells = realCells((await evaluator.read(layer, 0, fullWindow(grid))).bands[0]!);
    expect(cells[0]).toBeCloseTo(-12, 4);
    expect(cells[4]).toBeCloseTo(0, 4);
  });
});

describe("what is said in figures", () => {
  const tally = {
    zones: 2,
    entries: [
      [saidLabel(0, "confirmed"), 10, 4000],
      [saidLabel(0, "against"), 2, 800],
      [256 + saidLabel(0, "unseen"), 8, 3200],
      [256 + saidLabel(1, "confirmed"), 5, 2000],
    ] as [number, number, number][],
  };
  test("by class, in all and in a zone", () => {
    const [first, next] = saidAreas(tally, [1, 7]);
    expect(first!.areas).toEqual({
      confirmed: { cells: 10, areaM2: 4000 },
      against: { cells: 2, areaM2: 800 },
      unseen: { cells: 8, areaM2: 3200 },
    });
    expect(next!.areas.confirmed.cells).toBe(5);
    expect(saidAreas(tally, [1], 1)[0]!.areas.confirmed.cells).toBe(0);
    expect(saidTogether([first!, next!]).confirmed.areaM2).toBe(6000);
  });
  test("as shares, of what could be seen too", () => {
    const shares = saidShares(saidAreas(tally, [1])[0]!.areas)!;
    expect(shares).toMatchObject({ confirmed: 0.5, against: 0.1, unseen: 0.4 });
    expect(shares.ofSeen).toBeCloseTo(5 / 6, 12);
    expect(saidShares(saidAreas(tally, [1, 2, 9])[2]!.areas)).toBeNull();
    const unseen = saidAreas(tally, [1], 1)[0]!.areas;
    expect(saidShares(unseen)!.ofSeen).toBeNull();
  });
  test("labels of one class do not meet those of another", () => {
    const all = Array.from({ length: 64 }, (_v, k) =>
      SAID.map((said) => saidLabel(k, said)),
    ).flat();
    expect(new Set(all).size).toBe(192);
    expect(Math.max(...all)).toBeLessThan(255);
    expect(saidClasses([4], [{ label: 4, name: "Reeds", color: "#000000" }])[1]!.name).toBe(
      "Reeds, not confirmed",
    );
  });
});

describe("which scene is asked", () => {
  const at = (id: string, kind: string, day: string, info: ImageInfo | null): SecondCandidate => ({
    ...{ id, kind, info, acquiredAt: `${day}T12:00:00Z` },
  });
  const pair = { kind: "radar", beforeAt: "2025-05-02T18:41:00Z", afterAt: "2025-05-14T18:41:00Z" };
  const all = [
    at("same", "radar", "2025-05-14", radar),
    at("spring", "optical", "2025-04-28", optical),
    at("winter", "optical", "2024-12-28", optical),
    at("near", "optical", "2025-05-15", optical),
    at("later", "optical", "2025-05-20", optical),
    at("unready", "optical", "2025-05-14", null),
  ];
  test("of another sensor, nearest to after and later than before; nearest to before and earlier", () => {
    expect(nearScenes(all, pair, null)).toEqual({ beforeId: "spring", afterId: "near" });
    expect(nearScenes(all, pair, { index: "ndwi" }, 0.5)).toBeNull();
    expect(nearScenes(all, pair, { index: "ndvi" })).toBeNull();
    expect(nearScenes(all.slice(0, 2), pair, null)).toBeNull();
  });
  test("is looked at by what tells the hazard", () => {
    expect(firstLook("flood", optical)).toEqual({ index: "mndwi" });
    expect(firstLook("fire", radar)).toEqual({ band: "VV" });
    const look = { band: "VV" };
    expect(firstCondition("flood", look, { info: radar, hasBefore: true })).toMatchObject({
      ...{ layer: "secondAfter", op: "<" },
    });
    expect(proposeSecond(all, pair, { hazard: "flood", labels: [1] })).toEqual({
      ...{ beforeId: "spring", afterId: "near", look: { index: "mndwi" } },
      confirms: { labels: [1], layer: "secondAfter", op: ">", value: 0 },
    });
    expect(proposeSecond(all, pair, { hazard: "flood", labels: [] })).toBeNull();
  });
  test("days apart are said, and a scene on the wrong side of the event", () => {
    const dates = {
      before: { name: "2 May", acquiredAt: pair.beforeAt },
      after: { name: "14 May", acquiredAt: pair.afterAt },
    };
    const dated = (name: string, day: string) => ({ name, acquiredAt: `${day}T12:00:00Z` });
    expect(secondWarnings(dates, { before: null, after: dated("HELIO2", "2025-05-15") })).toEqual(
      [],
    );
    expect(secondWarnings(dates, { before: null, after: dated("HELIO2", "2025-05-24") })).toEqual([
      expect.stringMatching(/^HELIO2 is 10 days later than 14 May/),
    ]);
    expect(
      secondWarnings(dates, {
        before: dated("then", "2025-05-14"),
        after: dated("HELIO2", "2025-05-01"),
      }),
    ).toEqual([
      expect.stringContaining("13 days earlier"),
      expect.stringContaining("not later than before"),
    ]);
  });
  test("settings name an index or a band, not both and not neither", () => {
    const valid = (look: object) => secondSchema.isValidSync({ ...second, look }, { strict: true });
    expect(valid({ index: "ndwi" })).toBe(true);
    expect(valid({ band: "VH" })).toBe(true);
    expect(valid({})).toBe(false);
    expect(valid({ index: "ndwi", band: "VH" })).toBe(false);
    expect(valid({ index: "wetness" })).toBe(false);
  });
});
