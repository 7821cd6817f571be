import type { ErrorAnswer } from "@hindglance/contract/errors";
import type { Provenance } from "@hindglance/contract/changeMaps";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import type { TallyData } from "@hindglance/core/tally/tally";
import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { TestServer } from "./testing/harness";
import { SETUP, X0, Y0, elevationTiff, radarTiff } from "./testing/pairs";

const width = 640;
const height = 520;
type Limits = Record<string, unknown>;
let testServer: TestServer;
let study: string;
let ids: { before: string; after: string; other: string };
const pointTransform = transformer(utm(27, true), LONLAT);
const ring = (cells: [number, number][]) =>
  cells.map(([c, r]) => pointTransform(X0 + c * 20, Y0 - r * 20));

beforeAll(async () => {
  testServer = await TestServer.start();
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", {
      name: "Change",
      hazard: "flood",
      eventAt: "2025-05-12T00:00:00Z",
      studyArea: {
        type: "Polygon",
        coordinates: [
          ring([
            [0, 0],
            [0, 500],
            [600, 500],
            [600, 0],
            [0, 0],
          ]),
        ],
      },
    })
  ).body.id;
  // Water in columns 20 to 60 on every date; in 60 to 200 after the event; the other date has some
  // of that already, in 60 to 120.
  const dates = [
    ["b_20250502.tif", "2025-05-02", 1, [20, 60]],
    ["a_20250514.tif", "2025-05-14", 2, [20, 200]],
    ["o_20250420.tif", "2025-04-20", 3, [20, 120]],
  ] as const;
  const [before, after, other] = await Promise.all(
    dates.map(async ([name, day, seed, dark]) => {
      const x = await testServer.importScene(
        study,
        name,
        radarTiff(width, height, seed, [...dark]),
        { acquiredAt: `${day}T18:00:00Z`, kind: "radar" },
      );
      expect((await testServer.ended(x.runId)).state).toBe("done");
      return x.id;
    }),
  );
  ids = { before: before!, after: after!, other: other! };
  const z = await testServer.importScene(study, "z.tif", elevationTiff(width, height), {
    kind: "elevation",
    vertical: "ellipsoid",
  });
  expect((await testServer.ended(z.runId)).state).toBe("done");
});
afterAll(async () => {
  await testServer.stop();
});

const body = (limits: Limits = {}, more: object = {}) => ({
  beforeId: ids.before,
  afterId: ids.after,
  setup: { ...SETUP, ...more, limits: { ...SETUP.limits, ...limits } },
});
async function tallyOf(limits: Limits, more: object = {}): Promise<TallyData> {
  const r = await testServer.call<
    { tally?: TallyData; runId?: string; hash: string } & ErrorAnswer
  >("POST", `/studies/${study}/compare/areas`, body(limits, more));
  if (r.body.error) {
    throw new Error(r.body.error.message);
  }
  if (r.body.tally) {
    return r.body.tally;
  }
  expect((await testServer.ended(r.body.runId!)).state).toBe("done");
  return (await testServer.call<{ tally: TallyData }>("GET", `/tallies/${r.body.hash}`)).body.tally;
}
const cells = (tally: TallyData, label: number) =>
  tally.entries.find(([k]) => k === label)?.[1] ?? 0;

test("heights whose sea lies off are questioned on the card of the elevation", async () => {
  const seaAtNought = buildTiff({
    width: 120,
    height: 90,
    value: (c) => Math.max(0, c - 40),
    extra: [...UTM27S_KEYS, ...at(X0, Y0, 40)],
  });
  const imported = await testServer.importScene(study, "sea.tif", seaAtNought, {
    kind: "elevation",
    vertical: "ellipsoid",
  });
  expect((await testServer.ended(imported.runId)).state).toBe("done");
  const doubt = async (id: string) =>
    (await testServer.call<{ doubt: string | null } & ErrorAnswer>("GET", `/scenes/${id}/datum`))
      .body;
  expect((await doubt(imported.id)).doubt).toMatch(
    /^The lowest flat water .* above sea level\. Say/,
  );
  await testServer.call("PATCH", `/scenes/${imported.id}`, { vertical: "egm96" });
  expect((await doubt(imported.id)).doubt).toBeNull();
  expect((await doubt(ids.before)).error).toMatchObject({ field: "id" });
  // The others go on with one elevation.
  await testServer.call("DELETE", `/scenes/${imported.id}`);
});

describe("limits and what each takes", () => {
  test("classes without limits, less what is dropped and with what is added, are the classes of the map", async () => {
    const bare = await tallyOf({ seenMarginCells: 0, minPatchCells: null });
    const full = await tallyOf({
      studyArea: true,
      seenMarginCells: 2,
      elevationM: { min: 8, max: null },
      maxSlopeDeg: 30,
      drainage: { maxM: 400, leastKm2: 0.1 },
      majorityCells: 3,
      holeCells: 5,
      minPatchCells: 9,
    });
    const classes = (tally: TallyData) => cells(tally, 1) + cells(tally, 2);
    expect(full.limits!.map((limit) => limit.name)).toEqual([
      "seen",
      "studyArea",
      "elevation",
      "slope",
      "drainage",
      "majority",
      "holes",
      "minimumPatch",
    ]);
    expect(
      classes(bare) +
        full.limits!.reduce((n, effect) => n + effect.addedCells - effect.droppedCells, 0),
    ).toBe(classes(full));
    // Ground under 8 m lies west of column 32: twelve columns of standing water leave.
    expect(
      Math.abs(full.limits!.find((limit) => limit.name === "elevation")!.droppedCells - 12 * 500),
    ).toBeLessThan(500);
    expect(full.limits!.find((limit) => limit.name === "slope")!.droppedCells).toBe(0);
  });
  test("what an earlier date shows as well is no change", async () => {
    const all = await tallyOf({});
    const less = await tallyOf({
      standing: { sceneIds: [ids.other], op: "<", value: -14, label: 1 },
    });
    expect(Math.abs(cells(all, 1) - 140 * height)).toBeLessThan(0.03 * 140 * height);
    expect(Math.abs(cells(less, 1) - 80 * height)).toBeLessThan(0.05 * 80 * height);
    expect(cells(less, 2)).toBeGreaterThan(0.95 * cells(all, 2));
  });
  test.each([
    ["layover without a product", { hidden: true }, /layover and shadow/, "limits.hidden"],
    ["cloud without a quality band", { cloud: true }, /quality band/, "limits.cloud"],
    [
      "a date that is not there",
      {
        standing: {
          sceneIds: ["00000000-0000-4000-8000-000000000000"],
          op: "<",
          value: -14,
          label: 1,
        },
      },
      /not in the study/,
      "limits.standing",
    ],
    [
      "elevation upside down",
      { elevationM: { min: 50, max: 10 } },
      /below the highest/,
      "setup.limits.elevationM",
    ],
    ["a limit that is not known", { depth: 3 }, /depth/, undefined],
  ])("%s is refused in words", async (_n, limits, why, field) => {
    const r = await testServer.call<ErrorAnswer>(
      "POST",
      `/studies/${study}/compare/nodes`,
      body(limits),
    );
    expect(r.status).toBe(422);
    expect(r.body.error.message).toMatch(why);
    if (field) {
      expect(r.body.error.field).toContain(field);
    }
  });
});

describe("measures and groups", () => {
  test("a formula of both dates is the difference that it writes; a name that is none is pointed at", async () => {
    const formula = (text: string) => ({
      measure: "formula",
      formula: text,
      rules: [SETUP.rules[0]],
    });
    const tally = await tallyOf({}, formula("after.VV - before.VV"));
    const b = await tallyOf({}, { rules: [SETUP.rules[0]] });
    // The log ratio of filtered power and the difference of its decibels are the same number.
    expect(Math.abs(cells(tally, 1) - cells(b, 1))).toBeLessThan(5);
    const r = await testServer.call<ErrorAnswer>(
      "POST",
      `/studies/${study}/compare/nodes`,
      body({}, formula("after.VX / before.VV")),
    );
    expect([r.status, r.body.error.message]).toEqual([422, expect.stringContaining('"after.VX"')]);
  });
  test("histograms tell the threshold that tiles have in common", async () => {
    const r = await testServer.call<{
      tiles: Record<string, { value: number; found: number; tiles: number } | null>;
      cells: number;
    }>("POST", `/studies/${study}/compare/histograms`, body());
    expect(r.body.tiles.after!.value).toBeGreaterThan(-20);
    expect(r.body.tiles.after!.value).toBeLessThan(-10);
    expect(r.body.tiles.after!.tiles).toBeGreaterThan(50);
  });
  test("the first map: water that came, less what an earlier date knows; and what it rests on", async () => {
    const { body: first } = await testServer.call<FirstMap>(
      "POST",
      `/studies/${study}/compare/first-map`,
      body(),
    );
    expect(first.evidence.found).toBe(true);
    expect(first.evidence.heaps!.d).toBeGreaterThan(2);
    expect(first.limits.standing).toMatchObject({ sceneIds: [ids.other], op: "<", label: 1 });
    const said = first.evidence.notes.map(({ text }) => text);
    expect(said[0]).toMatch(/became open water/);
    expect(said).toContainEqual(
      expect.stringMatching(/water by earlier dates and are not counted/),
    );
    const tally = await tallyOf({ ...first.limits, maxSlopeDeg: 5 }, { rules: first.rules });
    expect(Math.abs(cells(tally, 1) - 80 * height)).toBeLessThan(0.04 * 80 * height);
    // The ground rises evenly to the east: no water lies on it, and what is dark on both is in doubt.
    expect(cells(tally, 2)).toBe(0);
    expect(Math.abs(cells(tally, 6) - 40 * height)).toBeLessThan(0.1 * 40 * height);
  });
  test("a map keeps what its pair shows, in the provenance and beside the table", async () => {
    const { body: first } = await testServer.call<FirstMap>(
      "POST",
      `/studies/${study}/compare/first-map`,
      body(),
    );
    const { body: begun } = await testServer.call<{ runId: string }>(
      "POST",
      `/studies/${study}/change-maps`,
      { ...body({}, { rules: first.rules }), name: "With its evidence" },
    );
    expect((await testServer.ended(begun.runId)).state).toBe("done");
    const { body: maps } = await testServer.call<{ name: string; provenance: Provenance }[]>(
      "GET",
      `/studies/${study}/change-maps`,
    );
    const { provenance } = maps.find(({ name }) => name === "With its evidence")!;
    expect(provenance.evidence).toEqual(first.evidence.notes);
  });
  test("groups are listed with their size and both dates; those that are picked become the class", async () => {
    const groups = {
      of: "both",
      method: "kMeans",
      groups: 3,
      seed: 1,
      splitSpread: 1,
      mergeDistance: 0.5,
      leastShare: 0.01,
      classes: [{ label: 1, name: "Flood", color: "#c8246f", groups: [] as number[] }],
    };
    const fraction = (
      await testServer.call<{
        bands: { name: string }[];
        cells: number;
        groups: { group: number; share: number; before: number[]; after: number[] }[];
      }>("POST", `/studies/${study}/compare/groups`, body({}, { groups }))
    ).body;
    expect(fraction.groups).toHaveLength(3);
    expect(fraction.groups.reduce((n, group) => n + group.share, 0)).toBeCloseTo(1, 9);
    const flood = fraction.groups.find((group) => group.before[0]! > -12 && group.after[0]! < -16)!;
    expect(flood.share).toBeCloseTo(140 / (width - 5), 1);
    const tally = await tallyOf(
      {},
      { groups: { ...groups, classes: [{ ...groups.classes[0]!, groups: [flood.group] }] } },
    );
    expect(Math.abs(cells(tally, 1) - 140 * height)).toBeLessThan(0.03 * 140 * height);
    expect(
      (await testServer.call<ErrorAnswer>("POST", `/studies/${study}/compare/groups`, body()))
        .status,
    ).toBe(422);
  });
});

describe("patches", () => {
  let map: string;
  interface Row {
    number: number;
    label: number;
    cells: number;
    areaM2: number;
    perimeterM: number;
    measure: number;
    elevation: number;
    west: number;
    south: number;
    east: number;
    north: number;
  }
  const list = async (query: string) =>
    (
      await testServer.call<{ count: number; areaM2: number; patches: Row[] } & ErrorAnswer>(
        "GET",
        `/change-maps/${map}/patches?${query}`,
      )
    ).body;
  beforeAll(async () => {
    const r = await testServer.call<{ runId: string }>(
      "POST",
      `/studies/${study}/change-maps`,
      body({ minPatchCells: 100 }),
    );
    const run = await testServer.ended(r.body.runId);
    expect(run.state).toBe("done");
    map = run.result!.changeMapId!;
  }, 60_000);
  test("carry area, perimeter, and the means of measure and elevation", async () => {
    const patches = (await list("")).patches;
    const flood = patches.find((row) => row.label === 1)!;
    const water = patches.find((row) => row.label === 2)!;
    expect(patches.length).toBe(2);
    // Stripes of 140 x 520 and 40 x 520 cells of 20 m, ragged at the edge by the filter.
    expect(Math.abs(flood.areaM2 / (140 * height * 400) - 1)).toBeLessThan(0.03);
    expect(flood.perimeterM).toBeGreaterThan(0.98 * 2 * (140 + height) * 20);
    expect(flood.perimeterM).toBeLessThan(1.6 * 2 * (140 + height) * 20);
    expect(flood.measure).toBeCloseTo(10 * Math.log10(0.008 / 0.15), 0);
    expect(Math.abs(water.measure)).toBeLessThan(0.5);
    // The plane rises by 0.5 m every 40 m.
    expect(flood.elevation).toBeCloseTo(130 / 4, 0);
    expect(water.elevation).toBeCloseTo(40 / 4, 0);
  });
  test("are sorted, filtered, placed and drawn", async () => {
    expect((await list("sort=elevation&down=false")).patches.map((patch) => patch.label)).toEqual([
      2, 1,
    ]);
    // The flood is 13 dB darker, standing water as it was.
    for (const [order, labels] of [
      ["sort=strength", [1, 2]],
      ["sort=strength&down=false", [2, 1]],
      ["sort=measure&down=false", [1, 2]],
    ] as const) {
      expect((await list(order)).patches.map((patch) => patch.label)).toEqual(labels);
    }
    expect((await list("labels=1")).patches.map((patch) => patch.label)).toEqual([1]);
    expect((await list("measureTo=-5")).count).toBe(1);
    expect((await list("leastM2=1e12")).count).toBe(0);
    const [first] = (await list("")).patches;
    const place = (
      await testServer.call<{ place: number | null }>(
        "GET",
        `/change-maps/${map}/place?sort=elevation&down=false&number=${first!.number}`,
      )
    ).body.place;
    expect(place).toBe(1);
    const box = [first!.west, first!.south, first!.east, first!.north].join(",");
    const rough = (
      await testServer.call<{ number: number; geometry: { coordinates: number[][][] } }[]>(
        "GET",
        `/change-maps/${map}/outlines?box=${box}&toleranceDeg=0.002`,
      )
    ).body;
    const fine = (
      await testServer.call<typeof rough>("GET", `/change-maps/${map}/outlines?box=${box}`)
    ).body;
    expect(fine.map((x) => x.number)).toContain(first!.number);
    expect(JSON.stringify(rough).length).toBeLessThan(JSON.stringify(fine).length / 4);
    expect(
      (await testServer.call<{ number: number }>("GET", `/change-maps/${map}/outlines/2`)).body
        .number,
    ).toBe(2);
    for (const k of ["3", "0", "x"]) {
      expect((await testServer.call("GET", `/change-maps/${map}/outlines/${k}`)).status).toBe(404);
    }
    expect(rough[0]!.geometry.coordinates[0]!.length).toBeGreaterThanOrEqual(4);
  });
  test.each(["sort=beauty", "limit=100000", "labels=x", "box=1"])(
    "%s is refused",
    async (query) => {
      expect(
        (
          await testServer.call(
            "GET",
            `/change-maps/${map}/${query.startsWith("box") ? "outlines" : "patches"}?${query}`,
          )
        ).status,
      ).toBe(422);
    },
  );
});

describe("every date by itself", () => {
  const ask = {
    kind: "radar",
    band: "VV",
    op: "<",
    value: -14,
    speckle: SETUP.speckle,
    studyArea: false,
    zones: false,
  };
  interface Series {
    key: string;
    unit: string;
    runId?: string;
    dates: {
      sceneId: string;
      zones: { beyondM2: number; seenM2: number }[] | null;
      mean: number | null;
    }[];
  }
  test("the area of water of three dates is that of their stripes", async () => {
    const first = await testServer.call<Series>("POST", `/studies/${study}/series`, ask);
    expect([first.status, first.body.dates.map((date) => date.sceneId)]).toEqual([
      202,
      [ids.other, ids.before, ids.after],
    ]);
    expect((await testServer.ended(first.body.runId!)).state).toBe("done");
    const { dates, unit } = (await testServer.call<Series>("POST", `/studies/${study}/series`, ask))
      .body;
    expect(unit).toBe("dB");
    dates.forEach((date, k) => {
      const cols = [100, 40, 180][k]!;
      expect(Math.abs(date.zones![0]!.beyondM2 / (cols * height * 400) - 1)).toBeLessThan(0.04);
      expect(date.mean!).toBeLessThan(10 * Math.log10(0.15) + 0.3);
    });
    expect(dates[2]!.mean!).toBeLessThan(dates[1]!.mean!);
  });
  test.each([
    ["a band that no date has", { band: "NBR" }, "band"],
    ["a kind with no dates", { kind: "optical" }, "band"],
    ["a comparison that is none", { op: "!" }, "op"],
  ])("%s is refused", async (_n, over, field) => {
    const r = await testServer.call<ErrorAnswer>("POST", `/studies/${study}/series`, {
      ...ask,
      ...over,
    });
    expect([r.status, r.body.error.field]).toEqual([422, field]);
  });
});

test("presets are kept for all studies, without dates of the study that they come from", async () => {
  const path = {
    name: "Dark water",
    comparing: "power",
    unit: "dB",
    measure: "logRatio",
    formula: null,
    own: {},
    rules: SETUP.rules,
    limits: {
      ...SETUP.limits,
      standing: { sceneIds: [ids.other], op: "<", value: -14, label: 1 },
    },
  };
  const made = await testServer.call<{ id: string; limits: object }>("POST", "/presets", path);
  expect(made.status).toBe(201);
  expect(made.body.limits).toEqual(SETUP.limits);
  expect(
    (await testServer.call<{ name: string }[]>("GET", "/presets")).body.map((x) => x.name),
  ).toEqual(["Dark water"]);
  expect((await testServer.call("POST", "/presets", { ...path, rules: [] })).status).toBe(422);
  expect((await testServer.call("DELETE", `/presets/${made.body.id}`)).status).toBe(204);
  expect((await testServer.call("DELETE", `/presets/${made.body.id}`)).status).toBe(404);
});
test("comparisons of the other kind of scene are kept to go back to", async () => {
  const compare = {
    ...body(),
    others: { optical: { beforeId: null, afterId: null, setup: null } },
  };
  expect(
    (await testServer.call<{ compare: object }>("PATCH", `/studies/${study}`, { compare })).body
      .compare,
  ).toEqual(compare);
  expect(
    (
      await testServer.call("PATCH", `/studies/${study}`, {
        compare: { ...compare, others: { sonar: null } },
      })
    ).status,
  ).toBe(422);
});
test("a rule over land cover takes only the classes that it names, and the map says which raster it was", async () => {
  // Class 1 north of row 260, class 2 south of it.
  const bytes = buildTiff({
    width,
    height,
    bits: 8,
    format: 1,
    value: (_c, r) => (r < 260 ? 1 : 2),
    extra: [
      ...UTM27S_KEYS,
      ...at(X0, Y0, 20),
      [42112, 2, '<M><Item name="LEGEND">1=Pasture; 2=Wood</Item></M>'],
    ],
  });
  const c = await testServer.importScene(study, "cover.tif", bytes, {
    kind: "classes",
    acquiredAt: "2024-05-02T00:00:00Z",
  });
  expect((await testServer.ended(c.runId)).state).toBe("done");
  const rule = {
    ...SETUP.rules[0]!,
    all: [...SETUP.rules[0]!.all, { layer: "cover", op: "=", value: 2 }],
  };
  const all = await tallyOf({ minPatchCells: null }, { rules: [SETUP.rules[0]] });
  const some = await tallyOf({ minPatchCells: null }, { rules: [rule], coverId: c.id });
  const not = await tallyOf(
    { minPatchCells: null },
    {
      rules: [{ ...rule, all: [...SETUP.rules[0]!.all, { layer: "cover", op: "!=", value: 2 }] }],
      coverId: c.id,
    },
  );
  expect(cells(some, 1) + cells(not, 1)).toBe(cells(all, 1));
  expect(Math.abs(cells(some, 1) / cells(all, 1) - 0.5)).toBeLessThan(0.02);
  const lost = await testServer.call<ErrorAnswer>(
    "POST",
    `/studies/${study}/compare/nodes`,
    body({}, { rules: [rule] }),
  );
  expect([lost.status, lost.body.error.message]).toEqual([
    422,
    expect.stringContaining("land cover"),
  ]);
  const run = await testServer.ended(
    (
      await testServer.call<{ runId: string }>(
        "POST",
        `/studies/${study}/change-maps`,
        body({}, { rules: [rule], coverId: c.id }),
      )
    ).body.runId,
  );
  expect(
    (
      await testServer.call<{ provenance: { cover: { file: string } } }>(
        "GET",
        `/change-maps/${run.result!.changeMapId!}`,
      )
    ).body.provenance.cover.file,
  ).toBe("cover.tif");
});
