import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import type { Exposure } from "@hindglance/contract/exposure";
import { allPeople, peopleOf } from "@hindglance/core/exposure/people";
import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { FLOOD_SIZE, FloodedStudy, cornerAt } from "./testing/flooded";
import { TestServer } from "./testing/harness";
import { X0, Y0 } from "./testing/pairs";

// A flood in columns 60 to 220 and 300 to 340; people in cells of 100 m, land cover in two halves.
const { width, height } = FLOOD_SIZE;
const PEOPLE = { width: width / 5, height: height / 5 };

let testServer: TestServer;
let study: FloodedStudy;
let map: ChangeMap;
const ids: Record<string, string> = {};

async function scene(name: string, kind: string, file: Uint8Array, more: object = {}) {
  const made = await testServer.importScene(study.id, name, file, { kind, ...more });
  const run = await testServer.ended(made.runId);
  expect([run.state, run.error]).toEqual(["done", null]);
  ids[kind] = made.id;
}
async function overlay(name: string, features: object[]) {
  const file = Buffer.from(JSON.stringify({ type: "FeatureCollection", features }));
  const uploaded = await testServer.upload(study.id, `${name}.geojson`, file);
  const { body } = await testServer.call<{ id: string }>("POST", `/studies/${study.id}/overlays`, {
    ...{ uploadId: uploaded.body.id, name, labelField: "name" },
  });
  ids[name] = body.id;
}
const feature = (name: string, geometry: object) => ({
  type: "Feature",
  properties: { name },
  geometry,
});

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Exposure");
  const [column, row] = [UTM27S_KEYS, at];
  await scene(
    "people.tif",
    "population",
    buildTiff({
      ...PEOPLE,
      value: (c, r) => (r === 0 ? -9999 : 1 + ((c + r) % 7)),
      extra: [...column, ...row(X0, Y0, 100), [42113, 2, "-9999"]],
    }),
  );
  await scene(
    "cover.tif",
    "classes",
    buildTiff({
      ...{ width, height, sample: "uint8" as const },
      value: (_c, r) => (r < height / 2 ? 1 : 2),
      extra: [...UTM27S_KEYS, ...at(X0, Y0, 20)],
    }),
    { acquiredAt: "2024-07-01T12:00:00Z" },
  );
  await overlay("Roads", [
    feature("High road", {
      type: "LineString",
      coordinates: [cornerAt(20, 100), cornerAt(400, 100)],
    }),
  ]);
  await overlay("Places", [
    feature("Hospital", { type: "Point", coordinates: cornerAt(320.5, 150.5) }),
    feature("Westby", { type: "Point", coordinates: cornerAt(25, 101) }),
    feature("Midby", { type: "Point", coordinates: cornerAt(260, 101) }),
    feature("Eastby", { type: "Point", coordinates: cornerAt(395, 101) }),
  ]);
  map = await study.write("Flood");
});
afterAll(() => testServer.stop());

const count = (body: object) =>
  testServer.call<{ runId: string } & ErrorAnswer>("POST", `/change-maps/${map.id}/exposure`, {
    ...{ populationId: null, coverId: null, overlayIds: [], roadIds: [], flooded: [1] },
    ...body,
  });
const found = async () =>
  (await testServer.call<{ exposure: Exposure | null }>("GET", `/change-maps/${map.id}/exposure`))
    .body.exposure;

/** Labels of the map, row by row. */
async function labelsOf(): Promise<Buffer> {
  const node = await testServer.call<{ hash: string }>("GET", `/change-maps/${map.id}/node`);
  return (await testServer.call("GET", `/nodes/${node.body.hash}/tiles/0/0/0`)).bytes;
}

test("what nobody could mean is refused in words", async () => {
  expect(await found()).toBeNull();
  const cases: [object, RegExp][] = [
    [{}, /Nothing is to be counted/],
    [{ populationId: ids.classes }, /no population grid of the study/],
    [{ coverId: ids.population }, /no classified raster of the study/],
    [{ overlayIds: ["00000000-0000-4000-8000-000000000000"] }, /not there any more/],
  ];
  for (const [body, message] of cases) {
    const { status, body: answer } = await count(body);
    expect([status, answer.error?.message]).toEqual([422, expect.stringMatching(message)]);
  }
});

test("people, land cover, assets and roads equal direct summation", async () => {
  const { status, body } = await count({
    ...{ populationId: ids.population, coverId: ids.classes },
    ...{ overlayIds: [ids.Roads, ids.Places], roadIds: [ids.Roads] },
  });
  expect(status).toBe(202);
  expect((await testServer.ended(body.runId)).error).toBeNull();
  const exposure = (await found())!;
  const labels = await labelsOf();
  let [total, wet] = [0, 0];
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      const people = r < 5 ? 0 : (1 + ((Math.floor(c / 5) + Math.floor(r / 5)) % 7)) / 25;
      total += people;
      wet += labels[r * width + c] === 1 ? people : 0;
    }
  }
  const { sums } = exposure.people!;
  expect(Math.abs(allPeople(sums) / total - 1)).toBeLessThan(1e-9);
  expect(peopleOf(sums, 1, null) / wet).toBeCloseTo(1, 9);
  expect(peopleOf(sums, 1, 1) + peopleOf(sums, 1, 2) + peopleOf(sums, 1, 0)).toBeCloseTo(
    peopleOf(sums, 1, null),
    6,
  );

  const covered = (cover: number) =>
    exposure
      .cover!.sums.filter((sum) => sum.label === 1 && sum.cover === cover)
      .reduce((cells, sum) => cells + sum.cells, 0);
  const direct = (from: number, to: number) =>
    labels.subarray(from * width, to * width).filter((label) => label === 1).length;
  expect([covered(1), covered(2)]).toEqual([direct(0, height / 2), direct(height / 2, height)]);

  expect(exposure.listed.map(({ name }) => name).sort()).toEqual(["High road", "Hospital"]);
  const road = exposure.listed.find(({ shape }) => shape === "line")!;
  const underWater = road.parts
    .filter(({ label }) => label === 1)
    .reduce((metres, { amount }) => metres + amount, 0);
  expect(underWater / (20 * 200)).toBeCloseTo(1, 1);
  expect(exposure.cuts.map(({ connects }) => connects)).toEqual([
    ["Westby", "Midby"],
    ["Midby", "Eastby"],
  ]);
  expect(exposure.cuts.every(({ aroundM }) => aroundM === null)).toBe(true);
});

test("the table tells all of it, with its inputs", async () => {
  const { bytes, headers } = await testServer.call("GET", `/change-maps/${map.id}/exposure.csv`);
  const text = bytes.toString();
  expect(headers.get("content-disposition")).toContain("Flood_exposure.csv");
  expect(text).toContain(
    "road cut,longitude,latitude,zone,m,stretches,deepest m,from,to,dry way round m",
  );
  expect(text).toMatch(/High road,[-\d.,]+,(West|East|In no zone),[\d.]+,1,,Westby,Midby,none/);
  expect(text).toMatch(/Places,Hospital,[-\d.,]+,In no zone,New water,1,points/);
});
