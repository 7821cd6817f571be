import { type Unsupervised, firstUnsupervised } from "@hindglance/core/classify/unsupervised";
import type {
  ClassifyView,
  DateGroups,
  KeptModel,
  SmoothingCounts,
  Training,
} from "@hindglance/contract/classify";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { CompareHistograms } from "@hindglance/contract/compare";
import type { FromTo, TransitionPatches } from "@hindglance/contract/fromTo";
import type { Scene } from "@hindglance/contract/scenes";
import type { LedgerEntry } from "@hindglance/contract/studies";
import { emptySetup } from "@hindglance/core/change/defaults";
import type { NodeView } from "@hindglance/contract/nodes";
import type { CoverPaths } from "@hindglance/core/cover/paths";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { probableArea } from "@hindglance/core/doubt/areas";
import type { Transitions } from "@hindglance/core/change/transitions";
import { grownArea } from "@hindglance/core/classify/growArea";
import type { Grid } from "@hindglance/core/grid/grid";
import { fromToTable } from "@hindglance/core/cover/fromToTable";
import type { ErrorBody } from "@hindglance/contract/errors";
import { EMPTY_CLASSIFY, type ClassifySettings } from "@hindglance/core/classify/settings";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { TestServer } from "./testing/harness";
import { X0, Y0, radarTiff } from "./testing/pairs";

const width = 120;
const height = 100;
const CELL = 20;
let testServer: TestServer;
let study: string;
let scenes: string[];
const path = () => `/studies/${study}/classification`;
const toLonLat = transformer(utm(27, true), LONLAT);

/** A rectangle of cells as a polygon in longitude and latitude. */
const cells = ([c0, r0, c1, r1]: readonly [number, number, number, number]): [
  number,
  number,
][][] => [
  (
    [
      [c0, r0],
      [c1, r0],
      [c1, r1],
      [c0, r1],
      [c0, r0],
    ] as const
  ).map(([c, r]): [number, number] => {
    const [lon, lat] = toLonLat(X0 + c * CELL, Y0 - r * CELL);
    return [lon, lat];
  }),
];
const ID = (k: number) => `00000000-0000-4000-8000-00000000000${k}`;
/** Water in columns 20 to 60 of the first date, 20 to 90 of the second. */
const SETTINGS: ClassifySettings = {
  ...EMPTY_CLASSIFY,
  legend: [
    { label: 3, name: "Water", color: "#33498c", note: "" },
    { label: 8, name: "Land", color: "#a9bf5f", note: "dry" },
  ],
  areas: {
    [ID(1)]: { label: 3, sceneId: null, polygons: [cells([24, 10, 56, 40])] },
    [ID(2)]: { label: 8, sceneId: null, polygons: [cells([95, 10, 115, 60])] },
  },
  heldShare: 0,
};
const change = (changes: object[]) =>
  testServer.call<ClassifyView & { error: ErrorBody }>("PATCH", path(), { changes });
const put = async (settings: ClassifySettings): Promise<ClassifyView> => {
  const { settings: old } = (await testServer.call<ClassifyView>("GET", path())).body;
  const test = old ? [{ op: "test", path: "", value: old }] : [];
  const { body, status } = await change([...test, { op: "replace", path: "", value: settings }]);
  expect(status).toBe(200);
  return body;
};
const train = (sceneId: string) =>
  testServer.call<Training & { error: ErrorBody }>("POST", `${path()}/training`, { sceneId });

beforeAll(async () => {
  testServer = await TestServer.start();
  const made = { name: "Cover", hazard: "land cover" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", made)).body.id;
  const dates = [
    ["2019-01-22", 1, [20, 60]],
    ["2025-01-22", 2, [20, 90]],
  ] as const;
  scenes = [];
  for (const [day, seed, dark] of dates) {
    const bytes = radarTiff(width, height, seed, [...dark]);
    const said = { acquiredAt: `${day}T13:00:00Z`, kind: "radar" };
    const { id, runId } = await testServer.importScene(study, `s_${day}.tif`, bytes, said);
    expect((await testServer.ended(runId)).state).toBe("done");
    scenes.push(id);
  }
});
afterAll(() => testServer.stop());

test("a study begins without settings, with its dates and what they can be told by", async () => {
  const { body } = await testServer.call<ClassifyView>("GET", path());
  expect([body.version, body.settings]).toEqual([0, null]);
  expect(body.dates.map(({ sceneId, bands, problem }) => [sceneId, bands, problem])).toEqual(
    scenes.map((id) => [id, ["sigma0 VV"], null]),
  );
  expect(body.dates[0]!.picture!.info.bands[0]!.role).toBe("decibel");
});

test("training without classes says what to do", async () => {
  const { status, body } = await train(scenes[0]!);
  expect([status, body.error.message, body.error.field]).toEqual([
    422,
    "No class has a training cell on this date",
    "areas",
  ]);
});

test("training gives a stored model, what its classes are, and a map that is right", async () => {
  await put(SETTINGS);
  const { status, body } = await train(scenes[0]!);
  expect(status).toBe(200);
  expect(body.classes.map(({ label, cells: count }) => [label, count])).toEqual([
    [3, 32 * 30],
    [8, 20 * 50],
  ]);
  // 0.15 and 0.008 of two looks: 12.7 dB apart, each spread by some 3.5 dB.
  expect(body.classes[1]!.mean[0]! - body.classes[0]!.mean[0]!).toBeCloseTo(12.7, 0);
  expect(body.pairs[0]!.apart.jeffriesMatusita).toBeGreaterThan(1.5);
  const tile = await testServer.call("GET", `/nodes/${body.labels.hash}/tiles/0/0/0`);
  const labels = tile.bytes;
  expect(labels).toHaveLength(width * height);
  const share = (label: number, from: number, to: number): number => {
    let right = 0;
    for (let row = 0; row < height; row++) {
      right += labels
        .subarray(row * width + from, row * width + to)
        .filter((found) => found === label).length;
    }
    return right / (height * (to - from));
  };
  expect(share(3, 20, 60)).toBeGreaterThan(0.93);
  expect(share(8, 60, 120)).toBeGreaterThan(0.93);
  // The strip at the left is fill.
  expect(share(255, 0, 3)).toBe(1);
  const [model] = await testServer.query<{ n: number }>(
    "SELECT count(*)::int AS n FROM model WHERE id = $1",
    [body.model],
  );
  expect(model!.n).toBe(1);
  const text = await testServer.call<{ kind: string; inputs: string[] }>(
    "GET",
    `/studies/${study}/models/${body.model}`,
  );
  expect([text.body.kind, text.body.inputs]).toEqual(["signatures", ["sigma0 VV"]]);
  const none = await testServer.call("GET", `/studies/${study}/models/${"0".repeat(32)}`);
  expect(none.status).toBe(404);
});

test("areas of one date train that date alone", async () => {
  const areas = { ...SETTINGS.areas, [ID(3)]: { ...SETTINGS.areas[ID(2)]!, sceneId: scenes[1]! } };
  await put({
    ...SETTINGS,
    areas: { ...areas, [ID(3)]: { ...areas[ID(3)]!, polygons: [cells([95, 60, 115, 80])] } },
  });
  const counts = async (scene: string) =>
    (await train(scene)).body.classes.map(({ cells: count }) => count);
  expect(await counts(scenes[0]!)).toEqual([960, 1000]);
  expect(await counts(scenes[1]!)).toEqual([960, 1400]);
});

test("test areas are not trained on, and tell how right the map is in them", async () => {
  const windows = { water: [24, 50, 40, 70], land: [62, 50, 88, 70] } as const;
  const tests = {
    [ID(6)]: { label: 3, sceneId: null, isTest: true, polygons: [cells(windows.water)] },
    [ID(7)]: { label: 8, sceneId: scenes[0]!, isTest: true, polygons: [cells(windows.land)] },
  };
  await put({ ...SETTINGS, areas: { ...SETTINGS.areas, ...tests } });
  const { body } = await train(scenes[0]!);
  expect(body.classes.map(({ cells: count }) => count)).toEqual([960, 1000]);
  const { bytes } = await testServer.call("GET", `/nodes/${body.labels.hash}/tiles/0/0/0`);
  const found = ([c0, r0, c1, r1]: readonly [number, number, number, number], label: number) => {
    let count = 0;
    for (let row = r0; row < r1; row++) {
      const own = bytes.subarray(row * width + c0, row * width + c1);
      count += own.filter((one) => one === label).length;
    }
    return count;
  };
  const matrix = [windows.water, windows.land].map((window) => [
    found(window, 3),
    found(window, 8),
  ]);
  expect(matrix.flat().reduce((sum, count) => sum + count, 0)).toBe(16 * 20 + 26 * 20);
  expect(body.tested).toEqual({ cells: 840, right: matrix[0]![0]! + matrix[1]![1]!, matrix });
  // What was land became water by the second date, for which that test area does not hold.
  expect((await train(scenes[1]!)).body.tested!.cells).toBe(16 * 20);
  await put(SETTINGS);
  expect((await train(scenes[0]!)).body.tested).toBeNull();
});

test("what is tested on is not trained on: an area over one of the other kind is refused", async () => {
  const area = (label: number, sceneId: string | null, window: Parameters<typeof cells>[0]) => ({
    ...{ label, sceneId, polygons: [cells(window)] },
  });
  const add = (k: number, value: object) => change([{ op: "add", path: `/areas/${ID(k)}`, value }]);
  const test = { ...area(3, scenes[1]!, [70, 50, 80, 70]), isTest: true };
  expect((await add(6, test)).status).toBe(200);
  const { status, body } = await add(7, area(8, null, [78, 60, 90, 64]));
  expect([status, body.error.code, body.error.field, body.error.message]).toEqual([
    422,
    "invalid",
    "areas",
    "A training area of land overlaps a test area of water",
  ]);
  // Of another date it says nothing, and one beside it shares a border only.
  expect((await add(7, area(8, scenes[0]!, [78, 60, 90, 64]))).status).toBe(200);
  expect((await add(8, area(3, null, [80, 50, 90, 58]))).status).toBe(200);
  const moved = await change([
    { op: "replace", path: `/areas/${ID(6)}/polygons`, value: [cells([70, 50, 81, 70])] },
  ]);
  expect(moved.status).toBe(422);
  await put(SETTINGS);
});

test("two pages that draw at once keep both areas; the same one twice is told", async () => {
  const add = (k: number, c: number) =>
    change([
      {
        op: "add",
        path: `/areas/${ID(k)}`,
        value: { label: 3, sceneId: null, polygons: [cells([c, 50, c + 4, 54])] },
      },
    ]);
  const [one, two] = await Promise.all([add(4, 30), add(5, 40)]);
  expect([one.status, two.status]).toEqual([200, 200]);
  const { settings } = (await testServer.call<ClassifyView>("GET", path())).body;
  expect(Object.keys(settings!.areas)).toEqual(expect.arrayContaining([ID(4), ID(5)]));
  const stale = await change([
    { op: "test", path: "/method", value: "forest" },
    { op: "replace", path: "/method", value: "mahalanobis" },
  ]);
  expect([stale.status, stale.body.error.code, stale.body.error.field]).toEqual([
    409,
    "changedElsewhere",
    "method",
  ]);
});

test("what makes no sense is refused with its field, and nothing is changed", async () => {
  const before = (await testServer.call<ClassifyView>("GET", path())).body;
  for (const [wrong, field] of [
    [{ op: "replace", path: "/heldShare", value: 2 }, "heldShare"],
    [{ op: "replace", path: "/legend/0/color", value: "blue" }, "legend"],
    [
      { op: "add", path: `/areas/${ID(6)}`, value: { label: 3, sceneId: null, polygons: [] } },
      "areas",
    ],
  ] as const) {
    const { status, body } = await change([wrong]);
    expect([status, body.error.field]).toEqual([422, expect.stringContaining(field)]);
  }
  expect((await testServer.call<ClassifyView>("GET", path())).body.version).toBe(before.version);
  const off = await train("00000000-0000-4000-8000-000000000099");
  expect([off.status, off.body.error.field]).toEqual([422, "sceneId"]);
});

test("of many classes the smoothed map is there, but not what it changes", async () => {
  const many = Array.from({ length: 16 }, (_v, k) => k + 1);
  await put({
    ...SETTINGS,
    legend: many.map((label) => ({ label, name: `Class ${label}`, color: "#33498c", note: "" })),
    areas: Object.fromEntries(
      many.map((label) => [
        `00000000-0000-4000-8000-0000000001${10 + label}`,
        {
          label,
          sceneId: null,
          polygons: [cells([4 + 7 * (label - 1), 10, 9 + 7 * (label - 1), 30])],
        },
      ]),
    ),
    smooth: { majorityCells: 3, minPatchCells: null, neighbours: 8 },
  });
  const { body } = await train(scenes[0]!);
  expect(body.classes).toHaveLength(16);
  expect([body.smoothed!.labels.info.type, body.smoothed!.changes]).toEqual(["class8", null]);
  const { bytes } = await testServer.call(
    "GET",
    `/nodes/${body.smoothed!.labels.hash}/tiles/0/0/0`,
  );
  // The same speckle everywhere: which of the classes are met is chance, that there are several is not.
  expect(new Set(bytes).size).toBeGreaterThan(4);
  const counted = await testServer.call<{ error: ErrorBody }>("POST", `${path()}/smoothing`, {
    sceneId: scenes[0],
  });
  expect(counted.status).toBe(422);
  expect(counted.body.error.message).toMatch(/for up to 15 classes; here are 16/);
});

/** What the ledger tells of what classes were taught by, and of classes made and models kept by it. */
async function taught(): Promise<LedgerEntry[]> {
  const ledger = await testServer.call<LedgerEntry[]>("GET", `/studies/${study}/ledger`);
  return ledger.body.filter(({ what }) => /^(Legend|Dates classified|Model kept)/.test(what));
}

test("both dates are written as classified scenes, with what they were made by", async () => {
  await put({ ...SETTINGS, method: "forest", forest: { trees: 10, depth: 4, seed: 1 } });
  const { status, body } = await testServer.call<{ scenes: { sceneId: string; runId: string }[] }>(
    "POST",
    `${path()}/maps`,
    { sceneIds: scenes },
  );
  expect([status, body.scenes?.length ?? body]).toEqual([202, 2]);
  for (const { runId } of body.scenes) {
    expect((await testServer.ended(runId)).state).toBe("done");
  }
  const all = (
    await testServer.call<
      { id: string; kind: string; name: string; info: { classes: object[] }; detail: object }[]
    >("GET", `/studies/${study}/scenes`)
  ).body;
  const map = all.find(({ id }) => id === body.scenes[0]!.sceneId)!;
  expect([map.kind, map.name]).toEqual(["classes", "Land cover, 2019-01-22"]);
  expect(map.info.classes).toEqual([
    { label: 3, name: "Water", color: "#33498c" },
    { label: 8, name: "Land", color: "#a9bf5f" },
  ]);
  expect(map.detail).toMatchObject({ method: "forest", inputs: ["sigma0 VV"] });
  // What the classes were taught by is written down before they are made of it.
  const told = await taught();
  expect(told.map(({ what }) => what)).toEqual(["Legend and areas set", "Dates classified"]);
  expect(told[0]!.detail).toMatchObject({ legend: SETTINGS.legend, areas: SETTINGS.areas });
});

test("what became of what between both maps is measured, cell by cell", async () => {
  const { body: all } = await testServer.call<{ id: string; name: string; kind: string }[]>(
    "GET",
    `/studies/${study}/scenes`,
  );
  const [beforeId, afterId] = all
    .filter(({ kind }) => kind === "classes")
    .sort((a, b) => a.name.localeCompare(b.name))
    .map(({ id }) => id);
  const classes = [
    { name: "Water", color: "#33498c", before: [3], after: [3] },
    { name: "Land", color: "#a9bf5f", before: [8], after: [8] },
  ];
  const ask = (body: object) =>
    testServer.call<FromTo & { error: ErrorBody }>("POST", `/studies/${study}/from-to`, body);
  const first = await ask({ beforeId, afterId, classes });
  expect([first.status, first.body.tally]).toEqual([200, null]);
  expect((await testServer.ended(first.body.runId!)).state).toBe("done");
  const { body } = await ask({ beforeId, afterId, classes });
  const table = fromToTable(body.tally!, 2);
  // Columns 60 to 90 went under: 3000 cells of 20 m, some of them taken for the other class.
  expect(table.cells[1]![0]!.cells).toBeGreaterThan(2700);
  expect(table.cells[0]![1]!.cells).toBeLessThan(400);
  expect(table.total.cells).toBe((width - 3) * height);
  expect(table.total.areaM2 / table.total.cells).toBeCloseTo(400, -1);
  const left = await ask({ beforeId, afterId, classes: classes.slice(0, 1) });
  expect(left.body.warnings[0]).toMatch(/^Left out of Land cover, 2019-01-22: Land\./);
  const same = await ask({ beforeId, afterId: beforeId, classes });
  expect([same.status, same.body.error.field]).toEqual([422, "afterId"]);
  const none = await ask({ beforeId: scenes[0], afterId, classes });
  expect([none.status, none.body.error.field]).toEqual([422, "beforeId"]);
});

test("the path of ground through dates counts the same as the table of two", async () => {
  const { body: all } = await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`);
  const sceneIds = all
    .filter(({ kind }) => kind === "classes")
    .sort((a, b) => a.name.localeCompare(b.name))
    .map(({ id }) => id);
  const classes = [
    { name: "Water", color: "#33498c", labels: [[3], [3]] },
    { name: "Land", color: "#a9bf5f", labels: [[8], [8]] },
  ];
  const ask = (body: object) =>
    testServer.call<{ counted: CoverPaths; shown: NodeView; error: ErrorBody }>(
      "POST",
      `/studies/${study}/from-to/paths`,
      body,
    );
  const { body } = await ask({ sceneIds, classes, path: [1, 0] });
  const wet = body.counted.paths.find(({ path }) => path.join() === "1,0")!;
  expect(wet.cells).toBeGreaterThan(2700);
  expect(body.counted.cells).toBe((width - 3) * height);
  expect(body.shown.info.classes![0]!.name).toBe("Land → Water");
  const twice = await ask({ sceneIds: [sceneIds[0], sceneIds[0]], classes });
  expect([twice.status, twice.body.error.field]).toEqual([422, "sceneIds"]);
});

test("it becomes a change map with limits, patches and a tally, and says what it was made of", async () => {
  const { body: all } = await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`);
  const [was, is] = all
    .filter(({ kind }) => kind === "classes")
    .sort((a, b) => a.name.localeCompare(b.name));
  const transitions: Transitions = {
    ...{ beforeId: was!.id, afterId: is!.id, show: "transition", kept: [3], unlikely: [3] },
    classes: [
      { name: "Water", color: "#33498c", before: [3], after: [3] },
      { name: "Land", color: "#a9bf5f", before: [8], after: [8] },
    ],
  };
  const start = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
  const setup: ChangeSetup = {
    ...start,
    transitions,
    limits: { ...start.limits, minPatchCells: 20 },
  };
  const pieces = await testServer.call<TransitionPatches>(
    "POST",
    `/studies/${study}/from-to/patches`,
    { beforeId: was!.id, afterId: is!.id, classes: transitions.classes, label: 3 },
  );
  expect([pieces.status, pieces.body.level]).toEqual([200, 0]);
  expect(pieces.body.patches[0]!.cells).toBeGreaterThan(2700);
  const write = (beforeId: string, afterId: string) =>
    testServer.call<{ runId: string; error: ErrorBody }>("POST", `/studies/${study}/change-maps`, {
      ...{ beforeId, afterId, setup },
    });
  const begun = await write(scenes[0]!, scenes[1]!);
  expect(begun.status).toBe(202);
  expect((await testServer.ended(begun.body.runId)).state).toBe("done");
  const [map] = (await testServer.call<ChangeMap[]>("GET", `/studies/${study}/change-maps`)).body;
  expect(map!.info.classes).toMatchObject([{ label: 3, name: "Land to Water" }]);
  expect(map!.provenance.covers).toMatchObject({ before: { name: was!.name } });
  const row = map!.rows.find(({ label }) => label === 3)!;
  expect(row.cells).toBeGreaterThan(2600);
  const query = "first=3&sort=area";
  const { body: listed } = await testServer.call<{ patches: { label: number; cells: number }[] }>(
    "GET",
    `/change-maps/${map!.id}/patches?${query}`,
  );
  expect(listed.patches.reduce((sum, { cells: count }) => sum + count, 0)).toBe(row.cells);
  expect(Math.min(...listed.patches.map(({ cells: count }) => count))).toBeGreaterThanOrEqual(20);

  // Its doubt is that of both dates together.
  const { body: runs } = await testServer.call<{ id: string; title: string }[]>("GET", "/runs");
  const counting = runs.find(({ title }) => title === `Doubt of ${map!.name}`)!;
  expect((await testServer.ended(counting.id)).error).toBeNull();
  const counted = (await testServer.call<ChangeMap>("GET", `/change-maps/${map!.id}`)).body;
  const probable = probableArea(counted.doubt!.sums, 3, null)!;
  expect(Math.abs(probable.areaM2 / row.areaM2 - 1)).toBeLessThan(0.1);

  // What the dates were trained on does not test it.
  const { body: now } = await testServer.call<{ settings: ClassifySettings }>(
    "GET",
    `/studies/${study}/classification`,
  );
  const trained = Object.values(now.settings.areas).find(({ isTest }) => !isTest)!;
  const refused = await testServer.call<{ error: ErrorBody }>(
    "POST",
    `/change-maps/${map!.id}/test-areas`,
    { name: "known", areas: [{ label: 0, polygons: trained.polygons }] },
  );
  expect([refused.status, refused.body.error.message]).toEqual([
    422,
    expect.stringMatching(/Area 1 of the file shares ground with an area that the map was trained/),
  ]);
});

test("without pictures, it is a change map over the classes themselves", async () => {
  const made = { name: "Maps of others", hazard: "land cover" };
  const other = (await testServer.call<{ id: string }>("POST", "/studies", made)).body.id;
  const [wide, high] = [40, 30];
  const ids: string[] = [];
  for (const [year, shore] of [
    [2019, 10],
    [2025, 16],
  ] as const) {
    const bytes = buildTiff({
      ...{ width: wide, height: high, bits: 8, format: 1 },
      value: (column) => (column < shore ? 1 : 2),
      extra: [
        ...[...UTM27S_KEYS, ...at(X0, Y0, CELL)],
        [42112, 2, '<M><Item name="LEGEND">1=Water; 2=Land</Item></M>'],
      ],
    });
    const said = { kind: "classes", acquiredAt: `${year}-01-22T12:00:00Z` };
    const { id, runId } = await testServer.importScene(other, `cover_${year}.tif`, bytes, said);
    expect((await testServer.ended(runId)).state).toBe("done");
    ids.push(id);
  }
  const [beforeId, afterId] = [ids[0]!, ids[1]!];
  const transitions: Transitions = {
    ...{ beforeId, afterId, show: "transition", kept: [3], unlikely: [] },
    classes: [
      { name: "Water", color: "#33498c", before: [1], after: [1] },
      { name: "Land", color: "#a9bf5f", before: [2], after: [2] },
    ],
  };
  const start = emptySetup({ looks: 4, hasStudyArea: false, hasElevation: false });
  const setup: ChangeSetup = {
    ...{ ...start, measure: "otherClass", transitions },
    limits: { ...start.limits, seenMarginCells: 0 },
  };
  const write = (body: object) =>
    testServer.call<{ runId: string; error: ErrorBody }>(
      "POST",
      `/studies/${other}/change-maps`,
      body,
    );
  const begun = await write({ beforeId, afterId, setup });
  expect([begun.status, begun.body.error]).toEqual([202, undefined]);
  expect((await testServer.ended(begun.body.runId)).state).toBe("done");
  const [map] = (await testServer.call<ChangeMap[]>("GET", `/studies/${other}/change-maps`)).body;
  // Six columns of land became water.
  const changed = map!.rows.filter(({ label }) => label > 0);
  expect(changed.map(({ label, cells: count }) => [label, count])).toEqual([[3, 6 * high]]);
  const { body: listed } = await testServer.call<{ patches: { cells: number; measure: number }[] }>(
    "GET",
    `/change-maps/${map!.id}/patches?first=3&sort=area`,
  );
  expect(listed.patches).toMatchObject([{ cells: 6 * high, measure: 1 }]);
  const asked = { beforeId, afterId, setup };
  const histograms = await testServer.call<CompareHistograms>(
    "POST",
    `/studies/${other}/compare/histograms`,
    asked,
  );
  expect(histograms.status).toBe(200);
  // Of classes nothing else is compared, and by nothing else.
  const plain = await write({ beforeId, afterId, setup: { ...setup, transitions: null } });
  expect([plain.status, plain.body.error.message]).toEqual([
    422,
    "Classified dates are compared by what became of what",
  ]);
  const ratio = await write({ beforeId, afterId, setup: { ...setup, measure: "logRatio" } });
  expect([ratio.status, ratio.body.error.message]).toEqual([
    422,
    "Log ratio is taken of radar power, and band 1 holds classes",
  ]);
});

describe("ground that grows from a place", () => {
  const grow = (c: number, r: number) =>
    testServer.call<{ grid: Grid; levels: string; error: ErrorBody }>("POST", `${path()}/grown`, {
      sceneId: scenes[0],
      at: toLonLat(X0 + c * CELL, Y0 - r * CELL),
    });
  test("is the water up to its banks, and hardly any land", async () => {
    await put(SETTINGS);
    const { body, status } = await grow(40.5, 50.5);
    expect(status).toBe(200);
    const levels = Uint8Array.from(Buffer.from(body.levels, "base64"));
    const { cells, isCut } = grownArea({ grid: body.grid, levels }, 1);
    // Water lies in columns 20 to 60, over all rows; speckle takes some cells for what they are not.
    expect(cells).toBeGreaterThan(0.9 * 40 * height);
    expect(isCut).toBe(true);
    const onLand = [...levels.keys()].filter(
      (cell) => levels[cell]! <= 127 && (cell % width < 20 || cell % width >= 60),
    );
    expect(onLand.length).toBeLessThan(0.01 * cells);
  });

  test("is refused outside the date, in words", async () => {
    const { body, status } = await grow(-4, 5);
    expect(status).toBe(422);
    expect(body.error).toMatchObject({ field: "at" });
    expect(body.error.message).toMatch(/outside the date/);
  });
});

describe("a trained model", () => {
  type Kept = KeptModel & { error: ErrorBody };
  let model: string;
  let applied: Training["applied"];
  const models = () => testServer.call<KeptModel[]>("GET", `/studies/${study}/models`);

  beforeAll(async () => {
    await put(SETTINGS);
    const { body } = await train(scenes[0]!);
    ({ model, applied } = body);
    expect(body.probabilities!.info.bands.map(({ name }) => name)).toEqual(["Water", "Land"]);
  });

  test("is kept under a name, with how it is applied, until it is kept no longer", async () => {
    const keep = (name: string) =>
      testServer.call<Kept>("PUT", `/studies/${study}/models/${model}`, { name, applied });
    expect((await keep(" ")).body.error.field).toBe("name");
    const { body } = await keep("Summer");
    expect(body).toMatchObject({ name: "Summer", inputs: ["sigma0 VV"], method: "likelihood" });
    expect((await models()).body.map(({ name }) => name)).toEqual(["Summer"]);
    // What it was taught by is told before it, and not again where nothing was changed.
    await keep("Summer");
    expect((await taught()).slice(-3).map(({ what }) => what)).toEqual([
      "Legend and areas set",
      "Model kept",
      "Model kept",
    ]);
  });
  test("classifies another date, and areas there check it", async () => {
    await put({ ...SETTINGS, model, legend: [...SETTINGS.legend].reverse() });
    const { body, status } = await train(scenes[1]!);
    expect([status, body.model]).toEqual([200, model]);
    expect(body.check!.right / body.check!.cells).toBeGreaterThan(0.97);
    expect(body.classes.map(({ held }) => held)).toEqual([960, 1000]);
    expect(body.labels.info.classes!.map(({ name }) => name)).toEqual(["Water", "Land"]);
  });
  test("is taken in from a file in another study, and says where it lacks an input", async () => {
    const text = JSON.stringify({
      ...(await testServer.call<object>("GET", `/studies/${study}/models/${model}`)).body,
      applied: { ...applied, priors: [0.9, 0.1] },
    });
    const { body: other } = await testServer.call<{ id: string }>("POST", "/studies", {
      ...{ name: "Elsewhere", hazard: "flood" },
    });
    const take = (of: object) => testServer.call<Kept>("POST", `/studies/${other.id}/models`, of);
    const { body: taken } = await take({ name: "From a file", text });
    expect([taken.id, taken.priors]).toEqual([model, [0.9, 0.1]]);
    expect((await take({ name: "Broken", text: "{}" })).body.error.message).toMatch(/model/i);
    const wrong = text.replace("sigma0 VV", "B5");
    const { body: lacking } = await take({ name: "Optical", text: wrong });
    await put({ ...SETTINGS, model: lacking.id });
    const { status, body } = await train(scenes[0]!);
    expect([status, body.error.message]).toEqual([
      422,
      "The date has no band B5; it has sigma0 VV",
    ]);
  });
  test("that is kept no longer is not classified by", async () => {
    const gone = await testServer.call("DELETE", `/studies/${study}/models/${model}`);
    expect(gone.status).toBe(204);
    await put({ ...SETTINGS, model: "0".repeat(32) });
    const { status, body } = await train(scenes[0]!);
    expect([status, body.error.field]).toEqual([422, "model"]);
    await put(SETTINGS);
  });
});

describe("groups of like cells", () => {
  const unsupervised: Unsupervised = {
    ...firstUnsupervised(),
    params: { ...firstUnsupervised().params, groups: 2 },
  };
  const groups = (sceneId: string) =>
    testServer.call<DateGroups & { error: ErrorBody }>("POST", `${path()}/groups`, { sceneId });
  const write = (sceneIds: string[]) =>
    testServer.call<{ scenes: { sceneId: string; runId: string }[]; error: ErrorBody }>(
      "POST",
      `${path()}/maps`,
      { sceneIds },
    );

  test("are refused where nobody asked for them", async () => {
    await put(SETTINGS);
    const { status, body } = await groups(scenes[0]!);
    expect([status, body.error.field]).toEqual([422, "unsupervised"]);
  });
  test("of a date part dark from bright, and are written as the classes they are given to", async () => {
    await put({ ...SETTINGS, unsupervised });
    const { body } = await groups(scenes[0]!);
    expect([body.found.length, body.classes]).toEqual([2, null]);
    // A third of the columns is dark.
    expect(body.found[0]!.share).toBeCloseTo(0.34, 1);
    expect(body.found[0]!.means[0]).toBeLessThan(body.found[1]!.means[0]!);
    const none = await write([scenes[0]!]);
    expect([none.status, none.body.error.field]).toEqual([422, "unsupervised.given"]);
    const given = { [scenes[0]!]: { "1": 3, "2": 8 } };
    await put({ ...SETTINGS, unsupervised: { ...unsupervised, given } });
    const { body: begun } = await write([scenes[0]!]);
    expect((await testServer.ended(begun.scenes[0]!.runId)).state).toBe("done");
    const { body: all } = await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`);
    const map = all.find(({ id }) => id === begun.scenes[0]!.sceneId)!;
    expect([map.name, map.info!.classes!.map(({ name }) => name)]).toEqual([
      "Land cover by groups, 2019-01-22",
      ["Water", "Land"],
    ]);
  });
  test("smoothed, are counted as the two maps differ, cells of no class among them", async () => {
    // Bright ground is given to no class.
    const given = { [scenes[0]!]: { "1": 3 } };
    const smooth = { majorityCells: 3, minPatchCells: 6, holeCells: 5, neighbours: 8 as const };
    await put({ ...SETTINGS, smooth, unsupervised: { ...unsupervised, given } });
    const { body: found } = await groups(scenes[0]!);
    const labelsOf = async ({ hash }: NodeView) =>
      (await testServer.call("GET", `/nodes/${hash}/tiles/0/0/0`)).bytes;
    const before = await labelsOf(found.classes!);
    const after = await labelsOf(found.smoothed!.labels);
    const became = (was: number, is: number) =>
      [...before.keys()].filter((cell) => before[cell] === was && after[cell] === is).length;
    const { body } = await testServer.call<SmoothingCounts>("POST", `${path()}/smoothing`, {
      sceneId: scenes[0],
    });
    expect(became(0, 3)).toBeGreaterThan(10);
    expect(body).toMatchObject({
      ...{ filled: became(0, 3), emptied: became(3, 0), changed: became(0, 3) + became(3, 0) },
      classes: [{ label: 3, lost: became(3, 0), gained: became(0, 3) }],
    });
  });
  test("of all dates tell what stayed from what changed", async () => {
    const params = { ...unsupervised.params, groups: 3 };
    await put({ ...SETTINGS, unsupervised: { of: "stack", params, given: {} } });
    const { body } = await groups(scenes[0]!);
    expect(body.inputs).toEqual(["sigma0 VV", "sigma0 VV, 2025-01-22"]);
    // Dark on both dates, dark on the second alone, bright on both.
    const shares = body.found.map(({ share }) => share).sort();
    expect(shares[0]).toBeCloseTo(0.25, 1);
    expect(shares[1]).toBeCloseTo(0.34, 1);
    await put(SETTINGS);
  });
});

test("classes of a scene are named by a table; what was made by the old names is made anew", async () => {
  const { body: all } = await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`);
  const map = all.find(({ kind }) => kind === "classes")!;
  const name = (text: string, id = map.id) =>
    testServer.call<Scene & { error: ErrorBody }>("PUT", `/scenes/${id}/classes`, {
      ...{ file: "names.csv", text },
    });
  const { body } = await name("3,Lake,#112233\n9,Ice");
  expect(body.info!.classes).toEqual([
    { label: 3, name: "Lake", color: "#112233" },
    { label: 8, name: "Land", color: "#a9bf5f" },
    { label: 9, name: "Ice", color: "#8a938f" },
  ]);
  expect(body.imageId).not.toBe(map.imageId);
  // Its cells are there under the new names.
  const { body: view } = await testServer.call<NodeView>("GET", `/scenes/${map.id}/node`);
  expect(view.info.classes![0]!.name).toBe("Lake");
  const wrong = await name("3,Lake,blue");
  expect([wrong.status, wrong.body.error.message]).toEqual([
    422,
    'names.csv: line 1 has the colour "blue", which is none like #c8246f',
  ]);
  expect((await name("1,Water", scenes[0])).status).toBe(422);
});
