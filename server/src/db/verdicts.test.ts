import { randomUUID } from "node:crypto";
import { type PatchQuery, patchQuery } from "@hindglance/contract/changeMaps";
import { STANDINGS, type Verdict, standingOf } from "@hindglance/core/review/standing";
import { databaseForTests } from "../testing/database";
import { type NewPatch, deleteChangeMap, queryPatches, writePatches } from "./changeMaps";
import {
  type Saying,
  judgedByTwo,
  listActs,
  listReviewers,
  listSaid,
  sayOf,
  standingAreas,
  turnAct,
} from "./verdicts";

const testDatabase = databaseForTests();
const { withClient } = testDatabase;
const ALL: PatchQuery = patchQuery.cast({});

const patch = (number: number, label: number, zones: NewPatch["zones"] = []): NewPatch => ({
  ...{ number, label, zones, cells: 10 * number, areaM2: 1000 * number },
  edited: false,
  ...{ perimeterM: null, measure: null, elevation: null },
  ...{ west: 0, south: 0, east: 1, north: 1, geometry: "{}" },
});
const PATCHES = [
  patch(1, 1, [{ zone: 0, cells: 10, areaM2: 1000 }]),
  patch(2, 2, [{ zone: 1, cells: 20, areaM2: 2000 }]),
  patch(3, 1, [
    { zone: 1, cells: 12, areaM2: 1200 },
    { zone: 2, cells: 18, areaM2: 1800 },
  ]),
  patch(4, 1, [{ zone: 2, cells: 40, areaM2: 4000 }]),
];

let map: string;
beforeEach(async () => {
  map = randomUUID();
  const study = await testDatabase.study("Verdicts");
  await withClient(async (client) => {
    const { rows } = await client.query<{ id: string }>(
      "INSERT INTO image (info, levels) VALUES ('{}', 1) RETURNING id",
    );
    await writePatches(client, map, PATCHES);
    await client.query(
      `
        INSERT INTO change_map (
            id, study_id, name, image_id, node_hash, setup, provenance, tally, patch_count
          )
        VALUES ($1, $2, 'Map', $3, '-', '{}', '{}', '{}', 4)
      `,
      [map, study, rows[0]!.id],
    );
  });
});

const within = <T>(work: Parameters<typeof testDatabase.db.withTransaction<T>>[0]) =>
  testDatabase.db.withTransaction(work);
const say = async (
  reviewer: string,
  verdict: Verdict | null,
  numbers: number[],
  note: string | null = null,
) =>
  (await within((client) => sayOf(client, map, { reviewer, verdict, note, which: { numbers } })))!;
const turn = (act: number, undone: boolean) =>
  within((client) => turnAct(client, map, act, undone));
const said = (number: number) => withClient((client) => listSaid(client, map, number));
const standings = async (query: Partial<PatchQuery> = {}) => {
  const asked = { ...ALL, sort: "number" as const, down: false, ...query };
  const { patches } = await withClient((client) => queryPatches(client, map, asked, 0, 100));
  return Object.fromEntries(patches.map(({ number, standing }) => [number, standing]));
};

test("a patch stands as all say of it, and is asked for by it", async () => {
  await say("Ann", "real", [1, 2]);
  await say("Ben", "false", [2, 3]);
  expect(await standings()).toEqual({ 1: "real", 2: "disputed", 3: "false", 4: "open" });
  expect(await standings({ standings: ["open", "disputed"] })).toEqual({
    2: "disputed",
    4: "open",
  });
  // The same by the rule in words, for every patch.
  for (const number of [1, 2, 3, 4]) {
    const verdicts = (await said(number)).map(({ verdict }) => verdict);
    expect((await standings())[number]).toBe(standingOf(verdicts));
  }
  await say("Ben", "open", [2]);
  expect((await standings())[2]).toBe("real");
});

test("who said what, when, with which note; a note alone leaves the verdict as it is", async () => {
  await say("Ann", "false", [1], "a ploughed field");
  await say("Ann", "real", [1]);
  await say("Ben", null, [1], "looks wet");
  expect(await said(1)).toMatchObject([
    { reviewer: "Ann", verdict: "real", note: "a ploughed field", inherited: null },
    { reviewer: "Ben", verdict: "open", note: "looks wet" },
  ]);
  const { saidAt } = (await said(1))[0]!;
  expect(Math.abs(Date.parse(saidAt) - Date.now())).toBeLessThan(60_000);
});

test("what says nothing new is no act", async () => {
  await say("Ann", "real", [1, 2]);
  expect(await say("Ann", "real", [1, 2])).toEqual({ act: null, patches: 0 });
  expect((await say("Ann", "real", [1, 2, 3])).patches).toBe(1);
  expect(await say("Ann", "real", [77])).toEqual({ act: null, patches: 0 });
  expect(await withClient((client) => listActs(client, map))).toHaveLength(2);
});

test("many at once by what is asked for", async () => {
  const which: Saying["which"] = { ...ALL, labels: [1], leastM2: 2000 };
  const { patches } = (await within((client) =>
    sayOf(client, map, { reviewer: "Ann", verdict: "false", note: null, which }),
  ))!;
  expect(patches).toBe(2);
  expect(await standings()).toEqual({ 1: "open", 2: "open", 3: "false", 4: "false" });
});

test("patches are asked for by a zone that they have a part in", async () => {
  expect(Object.keys(await standings({ zone: 1 }))).toEqual(["2", "3"]);
  expect(Object.keys(await standings({ zone: 0 }))).toEqual(["1"]);
});

describe("an act", () => {
  test("is taken back and said again, to the note and the moment", async () => {
    await say("Ann", "real", [1], "wet");
    const before = [await said(1), await said(2)];
    const { act } = await say("Ann", "false", [1, 2], "dry");
    const after = [await said(1), await said(2)];
    expect(await turn(act!, true)).toBe(2);
    expect([await said(1), await said(2)]).toEqual(before);
    expect(await standings()).toMatchObject({ 1: "real", 2: "open" });
    expect(await turn(act!, true)).toBe(0);
    expect(await turn(act!, false)).toBe(2);
    expect([await said(1), await said(2)]).toEqual(after);
    expect(await standings()).toMatchObject({ 1: "false", 2: "false" });
  });
  test("leaves what its reviewer said since, and what others said", async () => {
    const first = await say("Ann", "real", [1, 2, 3]);
    await say("Ben", "real", [3]);
    const second = await say("Ann", "false", [2]);
    expect(await turn(first.act!, true)).toBe(2);
    expect(await standings()).toMatchObject({ 1: "open", 2: "false", 3: "real" });
    // The later one goes back to what the earlier had said; that act can be said again around it.
    expect(await turn(second.act!, true)).toBe(1);
    expect(await standings()).toMatchObject({ 2: "real" });
    expect(await turn(first.act!, false)).toBe(2);
    expect(await standings()).toMatchObject({ 1: "real", 2: "real", 3: "real" });
    expect((await withClient((client) => listActs(client, map))).map((one) => one.undone)).toEqual([
      true,
      false,
      false,
    ]);
  });
  test("of another map, or none, is not found", async () => {
    const { act } = await say("Ann", "real", [1]);
    expect(await turn(act! + 100, true)).toBeNull();
    const other = randomUUID();
    expect(await within((client) => turnAct(client, other, act!, true))).toBeNull();
    const saying: Saying = {
      reviewer: "Ann",
      verdict: "real",
      note: null,
      which: { numbers: [1] },
    };
    expect(await within((client) => sayOf(client, other, saying))).toBeNull();
  });
});

test("two who speak at once are both heard", async () => {
  const verdicts = ["real", "false"] as const;
  await Promise.all(verdicts.map((verdict, k) => say(`R${k}`, verdict, [1, 2, 3, 4])));
  expect(new Set(Object.values(await standings()))).toEqual(new Set(["disputed"]));
});

test("areas by class and standing are those of the patches, by zone those of their parts", async () => {
  await say("Ann", "real", [1, 3]);
  await say("Ann", "false", [2]);
  const areas = await withClient((client) => standingAreas(client, map));
  const of = (zone: number | null) =>
    areas
      .filter((one) => one.zone === zone)
      .map(({ label, standing, patches, cells, areaM2 }) => [
        label,
        standing,
        patches,
        cells,
        areaM2,
      ]);
  expect(of(null)).toEqual([
    [1, "open", 1, 40, 4000],
    [1, "real", 2, 40, 4000],
    [2, "false", 1, 20, 2000],
  ]);
  expect(of(0)).toEqual([[1, "real", 1, 10, 1000]]);
  expect(of(1)).toEqual([
    [1, "real", 1, 12, 1200],
    [2, "false", 1, 20, 2000],
  ]);
  expect(of(2)).toEqual([
    [1, "open", 1, 40, 4000],
    [1, "real", 1, 18, 1800],
  ]);
  expect(STANDINGS).toEqual(expect.arrayContaining(areas.map(({ standing }) => standing)));
});

test("how two agree is counted on what both judged", async () => {
  await say("Ann", "real", [1, 2, 3]);
  await say("Ben", "real", [1]);
  await say("Ben", "false", [2, 4]);
  await say("Ben", "open", [3]);
  expect(await withClient((client) => judgedByTwo(client, map))).toEqual([
    { reviewers: ["Ann", "Ben"], realReal: 1, realFalse: 1, falseReal: 0, falseFalse: 0 },
  ]);
  expect(await withClient((client) => listReviewers(client, map))).toEqual([
    { reviewer: "Ann", patches: 3 },
    { reviewer: "Ben", patches: 3 },
  ]);
});

test("what was said goes with its map", async () => {
  await say("Ann", "real", [1]);
  await within((client) => deleteChangeMap(client, map));
  const { rows } = await withClient((client) =>
    client.query(`
      SELECT
        (SELECT count(*)::int FROM verdict) AS verdicts,
        (SELECT count(*)::int FROM verdict_change) AS changes,
        (SELECT count(*)::int FROM patch_zone WHERE change_map_id = '${map}') AS zones
    `),
  );
  expect(rows[0]).toMatchObject({ zones: 0 });
  expect(await said(1)).toEqual([]);
  expect(await withClient((client) => listActs(client, map))).toEqual([]);
});
