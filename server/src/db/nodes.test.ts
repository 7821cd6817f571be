import { utm } from "@hindglance/core/geodesy/crs";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { northUp } from "@hindglance/core/grid/grid";
import { sourceNode } from "@hindglance/core/graph/node";
import { databaseForTests } from "../testing/database";
import {
  deleteStates,
  findNode,
  findSeries,
  findTally,
  hasState,
  saveNode,
  saveSeries,
  saveTally,
  stateStore,
  sweepNodes,
} from "./nodes";
import { startPhase, setRangeProgress } from "./ranges";
import {
  cancelRunsOf,
  createRun,
  findRun,
  listPrepareRuns,
  listRuns,
  runningMeasure,
  supersededMeasures,
} from "./runs";

const testDatabase = databaseForTests();
const { withClient } = testDatabase;

describe("what steps gathered", () => {
  test("numbers, texts and typed arrays come back as they were, NaN among them", async () => {
    const states = stateStore(testDatabase.db);
    const state = {
      cells: 12,
      lost: NaN,
      name: "haze line",
      counts: Float64Array.of(1, NaN, -Infinity, 1e308),
      labels: Uint8Array.of(0, 255),
      starts: Uint32Array.of(0, 2 ** 32 - 1),
    };
    await states.put("k/1", state);
    expect(await states.get("k/1")).toEqual(state);
    expect(await withClient((client) => hasState(client, "k/1"))).toBe(true);
    expect(await states.get("k/2")).toBeNull();
  });

  test("who comes second changes nothing: equal keys are equal facts", async () => {
    const states = stateStore(testDatabase.db);
    await states.put("twice", { n: 1 });
    await states.put("twice", { n: 2 });
    expect(await states.get("twice")).toEqual({ n: 1 });
  });

  test("are removed by key, or by how their keys begin", async () => {
    const states = stateStore(testDatabase.db);
    for (const key of ["sums/a/1", "sums/a/2", "sums/ab/1", "sums%"]) {
      await states.put(key, { n: 1 });
    }
    await withClient((client) => deleteStates(client, "sums/a/"));
    const there = async (key: string) => (await states.get(key)) !== null;
    expect([await there("sums/a/1"), await there("sums/ab/1"), await there("sums%")]).toEqual([
      false,
      true,
      true,
    ]);
    // A sign that SQL takes for any text is a plain sign here.
    await withClient((client) => deleteStates(client, "sums%"));
    expect(await there("sums/ab/1")).toBe(true);
    await states.remove?.(["sums/ab/1", "never"]);
    expect(await there("sums/ab/1")).toBe(false);
  });
});

test("nodes, tallies and series are found by key; what is a month old goes", async () => {
  const spec = sourceNode("0a000000-0000-4000-8000-000000000001");
  const grid = northUp(utm(27, true), 490_000, 5_180_000, 10, 10, 20, 30);
  const info: ImageInfo = { grid, type: "float32", bands: [] };
  await withClient((client) => saveNode(client, { hash: "h", spec, info }));
  await withClient((client) => saveTally(client, "t", { zones: 1, entries: [] }));
  await withClient((client) => saveSeries(client, "s", { dates: [] }));
  expect(await withClient((client) => findNode(client, "h"))).toEqual({
    hash: "h",
    spec,
    info,
  });
  expect(await withClient((client) => findTally(client, "t"))).toEqual({ zones: 1, entries: [] });
  expect(await withClient((client) => findSeries(client, "s"))).toEqual({ dates: [] });
  await withClient((client) =>
    client.query("UPDATE node SET created_at = now() - interval '31 days'"),
  );
  expect(await withClient((client) => sweepNodes(client, 30))).toBe(1);
  expect(await withClient((client) => findNode(client, "h"))).toBeNull();
  expect(await withClient((client) => findTally(client, "t"))).not.toBeNull();
});

describe("runs of a study", () => {
  let study: string;
  beforeEach(async () => {
    study = await testDatabase.study("Runs");
  });
  const run = (kind: string, params: object = {}, of: string | null = study) =>
    withClient((client) =>
      createRun(client, {
        studyId: of,
        kind,
        title: kind,
        params,
        phases: [
          { name: "One", weight: 1 },
          { name: "Two", weight: 3 },
        ],
      }),
    );

  test("are listed the newest first, of the study alone or of all; old ends are left out", async () => {
    const other = await testDatabase.study("Other");
    const [first, second] = [await run("a"), await run("b")];
    const elsewhere = await run("c", {}, other);
    const ids = async (of: string | null) =>
      (await withClient((client) => listRuns(client, of))).map(({ id }) => id);
    expect(await ids(study)).toEqual([second, first]);
    expect((await ids(null)).slice(0, 3)).toEqual([elsewhere, second, first]);
    await withClient((client) =>
      client.query(
        "UPDATE run SET state = 'done', finished_at = now() - interval '25 hours' WHERE id = $1",
        [first],
      ),
    );
    expect(await ids(study)).toEqual([second]);
  });

  test("what measures a map is found by the map; what measures others is superseded", async () => {
    const [one, two] = [
      await run("measureAreas", { key: "one" }),
      await run("measureAreas", { key: "two" }),
    ];
    await run("writeChangeMap", { key: "three" });
    expect(await withClient((client) => runningMeasure(client, study, "one"))).toBe(one);
    expect(await withClient((client) => runningMeasure(client, study, "three"))).toBeNull();
    const superseded = (key: string | null) =>
      withClient((client) => supersededMeasures(client, study, key));
    expect(await superseded("one")).toEqual([two]);
    expect((await superseded(null)).sort()).toEqual([one, two].sort());
    await withClient((client) => cancelRunsOf(client, study));
    expect(await superseded(null)).toEqual([]);
    expect((await withClient((client) => findRun(client, one)))!.state).toBe("cancelled");
  });

  test("a preparation under way says what it computes and how far its phase is", async () => {
    const item = {
      sceneId: "s",
      hash: "h",
      step: "terrain",
      info: { grid: { width: 20, height: 30, crs: "left out" }, bands: ["left out"] },
    };
    const id = await run("prepareDates", { items: [item] });
    const open = async () => (await withClient((client) => listPrepareRuns(client, study)))[0];
    expect(await open()).toMatchObject({ id, done: null, all: null });
    await withClient((client) => startPhase(client, id, 0, [1, 3]));
    await withClient((client) => setRangeProgress(client, id, 0, 1, 0.5));
    expect(await open()).toMatchObject({
      phase: 0,
      done: 1.5,
      all: 4,
      items: [
        { sceneId: "s", hash: "h", step: "terrain", info: { grid: { width: 20, height: 30 } } },
      ],
    });
    await withClient((client) => cancelRunsOf(client, study));
    expect(await open()).toBeUndefined();
  });
});
