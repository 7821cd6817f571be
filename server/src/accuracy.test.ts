import type { Place, Sample, SampleResult } from "@hindglance/contract/accuracy";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import { accuracyOf } from "@hindglance/core/accuracy/estimates";
import { countsByStratum } from "@hindglance/core/accuracy/sample";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import { studyEvents } from "./testing/events";
import { TestServer } from "./testing/harness";
import { SETUP, X0, Y0, radarTiff } from "./testing/pairs";

// A flood in columns that were dry; places of a sample looked at by two people who know the truth.
const WIDTH = 420;
const HEIGHT = 300;
const FLOOD: [number, number] = [60, 220];
const NEW_WATER = 1;
const toMap = transformer(LONLAT, utm(27, true));
const toLonLat = transformer(utm(27, true), LONLAT);

let testServer: TestServer;
let study: string;
let mapId: string;

beforeAll(async () => {
  testServer = await TestServer.start();
  const { body } = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Accuracy", hazard: "flood" },
  });
  study = body.id;
  const ids: string[] = [];
  for (const [day, dark] of [
    ["2025-05-02", [0, 3]],
    ["2025-05-14", FLOOD],
  ] as const) {
    const scene = await testServer.importScene(
      study,
      `${day}.tif`,
      radarTiff(WIDTH, HEIGHT, Number(day.slice(-2)), [...dark]),
      { acquiredAt: `${day}T18:00:00Z`, kind: "radar" },
    );
    expect((await testServer.ended(scene.runId)).state).toBe("done");
    ids.push(scene.id);
  }
  const order = { beforeId: ids[0], afterId: ids[1], setup: SETUP, name: "Map" };
  const { body: begun } = await testServer.call<{ runId: string }>(
    "POST",
    `/studies/${study}/change-maps`,
    order,
  );
  mapId = String((await testServer.ended(begun.runId)).result!.changeMapId);
});
afterAll(() => testServer.stop());

/** What a place really is: the column that it lies in is flooded or not. */
function truthAt({ lon, lat }: Place): number {
  const [x, y] = toMap(lon, lat);
  const col = Math.floor((x - X0) / 20);
  expect(y).toBeLessThan(Y0);
  return col >= FLOOD[0] && col < FLOOD[1] ? NEW_WATER : 0;
}

const design = { drawing: "stratified", seed: 7, count: 0, units: { 0: 40, 1: 30, 3: 30 } };
const ask = (body: object) =>
  testServer.call<{ runId: string } & ErrorAnswer>("POST", `/change-maps/${mapId}/samples`, body);

async function drawn(body: object): Promise<Sample> {
  const { body: begun } = await ask(body);
  const run = await testServer.ended(begun.runId);
  expect(run.error).toBeNull();
  const { body: all } = await testServer.call<Sample[]>("GET", `/change-maps/${mapId}/samples`);
  return all.find(({ id }) => id === run.result!.sampleId)!;
}
const placesOf = async ({ id }: Sample, interpreter: string) =>
  (await testServer.call<Place[]>("GET", `/samples/${id}/places?interpreter=${interpreter}`)).body;
const look = ({ id }: Sample, interpreter: string, number: number, label: number | null) =>
  testServer.call<ErrorAnswer>("POST", `/samples/${id}/looks`, {
    ...{ interpreter, number, label, note: "" },
  });
/** The table of a map as a file. */
async function tableOf(id: string): Promise<string> {
  const { body } = await testServer.call<{ runId: string }>("POST", `/change-maps/${id}/files`, {
    format: "csv",
  });
  const { result } = await testServer.ended(body.runId);
  return (await testServer.call("GET", `/files/${result!.blobId!}`)).bytes.toString();
}
const resultOf = async ({ id }: Pick<Sample, "id">) =>
  (await testServer.call<SampleResult>("GET", `/samples/${id}/result`)).body;

test("places are drawn by stratum, told without what the map says, and looked at by two", async () => {
  const sample = await drawn({ name: "By strata", design, nearCells: 3 });
  expect(sample.strata.map(({ id, label }) => [id, label])).toEqual([
    [0, 0],
    [1, 1],
    // The first number that no class has.
    [3, 0],
  ]);
  const places = await placesOf(sample, "Ann");
  expect(places).toHaveLength(100);
  expect(Object.keys(places[0]!).sort()).toEqual(
    ["isLooked", "label", "lat", "lon", "note", "number"].sort(),
  );
  for (const place of places) {
    await look(sample, "Ann", place.number, truthAt(place));
  }
  // Ben cannot tell the first, and says otherwise of the second.
  await look(sample, "Ben", 1, null);
  await look(sample, "Ben", 2, truthAt(places[1]!) === 0 ? NEW_WATER : 0);
  await look(sample, "Ben", 3, truthAt(places[2]!));
  const result = await resultOf(sample);
  expect(result).toMatchObject({ open: 0, unsure: 0, disputed: 1 });
  expect(result.agreement).toMatchObject([{ interpreters: ["Ann", "Ben"], places: 2, alike: 1 }]);
  const told = result.counts.reduce((sum, { units }) => sum + units, 0);
  expect(told).toBe(99);
  const accuracy = accuracyOf(countsByStratum(sample.strata, result.counts))!;
  const flood = accuracy.classes.find(({ label }) => label === NEW_WATER)!;
  const truth = (FLOOD[1] - FLOOD[0]) * (HEIGHT - 2) * 400;
  expect(flood.area.low!).toBeLessThan(truth);
  expect(flood.area.high!).toBeGreaterThan(truth);
  expect(accuracy.overall.value).toBeGreaterThan(0.95);
  const csv = await tableOf(mapId);
  expect(csv).toContain("accuracy by,By strata");
  const line = csv.split("\r\n").find((one) => one.startsWith("overall accuracy,"))!;
  expect(Number(line.split(",")[1])).toBeCloseTo(accuracy.overall.value, 6);
  for (const said of [
    "drawn,stratified,seed,7,cells near change,3",
    '"Ann: 100 places, Ben: 3 places"',
    "agree,Ann and Ben,1,of,2",
    "disputed,1",
  ]) {
    expect(csv).toContain(said);
  }
});

test("what one sees at a place is told to every page, and makes the table that was made old", async () => {
  const sample = await drawn({ name: "Told", design, nearCells: 3 });
  const tables = async () => {
    const { body } = await testServer.call<{ files: { format: string }[] }>(
      "GET",
      `/change-maps/${mapId}`,
    );
    return body.files.filter(({ format }) => format === "csv").length;
  };
  const sayings = [
    () => look(sample, "Ann", 1, 0),
    () => testServer.call("DELETE", `/samples/${sample.id}/looks/1?interpreter=Ann`),
    () => testServer.call("DELETE", `/samples/${sample.id}`),
  ];
  for (const say of sayings) {
    await tableOf(mapId);
    expect(await tables()).toBe(1);
    const told = await studyEvents(testServer, say, 1);
    expect(told[0]!.id).toBe(study);
    expect(told[0]!.part).toMatch(/^(sample|change_map)$/);
    expect(await tables()).toBe(0);
  }
});

test("what was said is there after the server was killed, can be said anew and taken back", async () => {
  const sample = await drawn({ name: "Killed", design, nearCells: 3 });
  expect((await look(sample, "Ann", 4, NEW_WATER)).status).toBe(204);
  await testServer.kill();
  await testServer.restart();
  const fourth = async () => (await placesOf(sample, "Ann"))[3]!;
  expect(await fourth()).toMatchObject({ isLooked: true, label: NEW_WATER });
  await look(sample, "Ann", 4, null);
  expect(await fourth()).toMatchObject({ isLooked: true, label: null });
  await testServer.call("DELETE", `/samples/${sample.id}/looks/4?interpreter=Ann`);
  expect(await fourth()).toMatchObject({ isLooked: false });
  const { body: all } = await testServer.call<Sample[]>("GET", `/change-maps/${mapId}/samples`);
  expect(all.find(({ id }) => id === sample.id)!.interpreters).toEqual([]);
  await testServer.call("DELETE", `/samples/${sample.id}`);
  expect((await testServer.call("GET", `/samples/${sample.id}/result`)).status).toBe(404);
});

test("the same seed draws the same places; simple and systematic samples take the whole map", async () => {
  const where = (places: Place[]) => places.map(({ lon, lat }) => [lon, lat]);
  const first = await drawn({ name: "One", design, nearCells: 3 });
  const again = await drawn({ name: "Two", design, nearCells: 3 });
  expect(where(await placesOf(again, ""))).toEqual(where(await placesOf(first, "")));
  const simple = await drawn({
    ...{ name: "Simple", nearCells: 0 },
    design: { ...design, drawing: "simple", units: {}, count: 50 },
  });
  expect(simple.places).toBe(50);
  expect(simple.strata.map(({ id }) => id)).toEqual([0, 1]);
});

test("what cannot be drawn or said is refused in words", async () => {
  const cases: [object, RegExp][] = [
    [{ name: "", design, nearCells: 3 }, /Give the sample a name/],
    [{ name: "x", design: { ...design, units: {} }, nearCells: 3 }, /0 places cannot be looked at/],
    [{ name: "x", design: { ...design, units: { 0: 30_000 } }, nearCells: 3 }, /30000 places/],
    [{ name: "x", design: { ...design, drawing: "by eye" }, nearCells: 3 }, /drawing must be one/],
    [{ name: "x", design, nearCells: 99 }, /nearCells must be less/],
  ];
  for (const [body, message] of cases) {
    const { status, body: answer } = await ask(body);
    expect([status, answer.error?.message]).toEqual([422, expect.stringMatching(message)]);
  }
  const { body: begun } = await ask({
    ...{ name: "Too many", nearCells: 3 },
    design: { ...design, units: { 0: 10, 3: 15_000 } },
  });
  const run = await testServer.ended(begun.runId);
  expect(run.error?.message).toMatch(/cells; 15000 places cannot be drawn/);
  const sample = await drawn({ name: "Said", design, nearCells: 3 });
  expect((await look(sample, "", 1, 1)).body.error?.message).toMatch(/Say who you are/);
  expect((await look(sample, "Ann", 101, 1)).status).toBe(404);
  expect((await look(sample, "Ann", 1, 999)).status).toBe(422);
});

test("areas of known class are counted cell by cell; those elsewhere are refused", async () => {
  const corner = (c: number, r: number) => toLonLat(X0 + 20 * c, Y0 - 20 * r);
  const box = (c0: number, r0: number, c1: number, r1: number) => [
    [[corner(c0, r0), corner(c1, r0), corner(c1, r1), corner(c0, r1), corner(c0, r0)]],
  ];
  const askFor = (areas: object[]) =>
    testServer.call<{ runId: string } & ErrorAnswer>("POST", `/change-maps/${mapId}/test-areas`, {
      name: "known.geojson",
      areas,
    });
  const { body: begun } = await askFor([
    { label: NEW_WATER, polygons: box(100, 50, 150, 90) },
    { label: 0, polygons: box(300, 50, 350, 90) },
  ]);
  const { result, error } = await testServer.ended(begun.runId);
  expect(error).toBeNull();
  const counted = await resultOf({ id: String(result!.sampleId) });
  const cells = (reference: number) =>
    counted.counts.reduce((sum, one) => sum + (one.reference === reference ? one.units : 0), 0);
  expect([cells(NEW_WATER), cells(0)]).toEqual([2000, 2000]);
  const { body: away } = await askFor([
    {
      label: 0,
      polygons: [
        [
          [
            [0, 0],
            [1, 0],
            [1, 1],
            [0, 0],
          ],
        ],
      ],
    },
  ]);
  expect((await testServer.ended(away.runId)).error?.message).toMatch(/No cell of the map lies/);
  expect((await askFor([])).status).toBe(422);
});
