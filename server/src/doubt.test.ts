import type { ChangeMap, PatchRow } from "@hindglance/contract/changeMaps";
import type { Run } from "@hindglance/contract/runs";
import { probableArea } from "@hindglance/core/doubt/areas";
import { TestServer } from "./testing/harness";
import { SETUP, radarTiff } from "./testing/pairs";

// A flood in columns that were dry, with two earlier dates, one of them as flooded, and a later one.
const WIDTH = 420;
const HEIGHT = 300;
const CELL_KM2 = 0.0004;
/** Columns under water. */
const FLOOD: [number, number] = [60, 220];

let testServer: TestServer;
let study: string;
let pair: { beforeId: string; afterId: string };

beforeAll(async () => {
  testServer = await TestServer.start();
  const { body } = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Doubt", hazard: "flood" },
  });
  study = body.id;
  const ids = new Map<string, string>();
  for (const [day, dark] of [
    ["2025-04-08", [0, 3]],
    ["2025-04-20", FLOOD],
    ["2025-05-02", [0, 3]],
    ["2025-05-14", FLOOD],
    ["2025-05-26", FLOOD],
  ] as const) {
    const seed = Number(day.slice(-2));
    const scene = await testServer.importScene(
      study,
      `${day}.tif`,
      radarTiff(WIDTH, HEIGHT, seed, [...dark]),
      { acquiredAt: `${day}T18:00:00Z`, kind: "radar" },
    );
    expect((await testServer.ended(scene.runId)).state).toBe("done");
    ids.set(day, scene.id);
  }
  pair = { beforeId: ids.get("2025-05-02")!, afterId: ids.get("2025-05-14")! };
});
afterAll(() => testServer.stop());

const mapOf = async (id: string) =>
  (await testServer.call<ChangeMap>("GET", `/change-maps/${id}`)).body;
const runsOf = async () =>
  (await testServer.call<Run[]>("GET", "/runs")).body.filter(
    ({ studyId, title }) => studyId === study && title.startsWith("Doubt of"),
  );

/** Writes a map; its doubt may still be counted. */
async function written(name: string): Promise<ChangeMap> {
  const order = { ...pair, setup: SETUP, name };
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/studies/${study}/change-maps`,
    order,
  );
  const run = await testServer.ended(body.runId);
  expect(run.error).toBeNull();
  return mapOf(String(run.result!.changeMapId));
}

/** A map whose doubt is counted. */
async function counted(name: string): Promise<ChangeMap> {
  const { id } = await written(name);
  for (const { id: run } of await runsOf()) {
    expect((await testServer.ended(run)).error).toBeNull();
  }
  return mapOf(id);
}

test("probabilities of all classes make up all that is seen, and the flood lies in its interval", async () => {
  const map = await counted("Counted");
  const { sums, others } = map.doubt!;
  const whole = map.rows.filter(({ zone }) => zone === null);
  const seen = whole.reduce((sum, { areaM2 }) => sum + areaM2, 0);
  const probable = whole.reduce(
    (sum, { label }) => sum + (probableArea(sums, label, null)?.areaM2 ?? 0),
    0,
  );
  expect(Math.abs(probable / seen - 1)).toBeLessThan(1e-5);
  const flood = probableArea(sums, 1, null)!;
  // The strip of fill and a cell of margin at every side are not seen.
  const truth = (FLOOD[1] - FLOOD[0]) * (HEIGHT - 2) * CELL_KM2 * 1e6;
  expect(flood.halfM2).toBeGreaterThan(0);
  expect(flood.halfM2).toBeLessThan(0.05 * truth);
  expect(Math.abs(flood.areaM2 - truth)).toBeLessThan(flood.halfM2);
  expect(others.map(({ acquiredAt, isEarlier }) => [acquiredAt.slice(0, 10), isEarlier])).toEqual([
    ["2025-04-20", true],
    ["2025-05-26", false],
    ["2025-04-08", true],
  ]);
});

test("patches carry their doubt, and are ordered and picked by it", async () => {
  const map = await counted("Patches");
  const patchesBy = async (query: string) =>
    (
      await testServer.call<{ count: number; patches: PatchRow[] }>(
        "GET",
        `/change-maps/${map.id}/patches?${query}`,
      )
    ).body;
  const { patches } = await patchesBy("sort=doubt&down=true");
  const doubts = patches.map(({ certainty }) => 1 - certainty!);
  expect(doubts).toEqual([...doubts].sort((a, b) => b - a));
  const [largest] = (await patchesBy("sort=area&down=true")).patches;
  expect(largest).toMatchObject({ earlierAlike: 1, earlierSeen: 2, laterAlike: 1, laterSeen: 1 });
  expect(largest!.certainty).toBeGreaterThan(0.95);
  expect(largest!.edgeShare).toBeGreaterThan((2 * HEIGHT) / largest!.cells - 0.01);
  const sure = await patchesBy("doubtTo=0.05");
  expect(sure.count).toBe(doubts.filter((doubt) => doubt <= 0.05).length);
  const doubtful = await patchesBy("doubtFrom=0.05");
  expect(sure.count + doubtful.count).toBe(patches.length);
  const place = await testServer.call("GET", `/change-maps/${map.id}/place?sort=doubt&number=1`);
  expect(place.body).toEqual({ place: patches.findIndex(({ number }) => number === 1) });
});

test("a server that dies while it counts counts on; a map that is deleted leaves nothing", async () => {
  const first = await written("Killed");
  await testServer.kill();
  await testServer.restart();
  for (const { id } of await runsOf()) {
    expect((await testServer.ended(id, 60_000)).error).toBeNull();
  }
  const { doubt } = await mapOf(first.id);
  expect(doubt).not.toBeNull();
  const imagesOf = async (id: string) =>
    (await testServer.query<{ id: string }>("SELECT id FROM image WHERE id = $1", [id])).length;
  expect(await imagesOf(doubt!.imageId)).toBe(1);
  await testServer.call("DELETE", `/change-maps/${first.id}`);
  expect(await imagesOf(doubt!.imageId)).toBe(0);
  const left = await testServer.query<{ n: number }>(
    "SELECT count(*)::int AS n FROM patch_doubt WHERE change_map_id = $1",
    [first.id],
  );
  expect(left[0]!.n).toBe(0);
});
