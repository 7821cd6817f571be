import type { ChangeMap, PatchRow } from "@hindglance/contract/changeMaps";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import { waterOf } from "@hindglance/core/flood/depths";
import { TestServer } from "./testing/harness";
import { SETUP, elevationTiff, radarTiff } from "./testing/pairs";

// Water up to a straight shore on a plane that rises to the east by 1 in 80.
const WIDTH = 420;
const HEIGHT = 300;
const FLOOD: [number, number] = [60, 220];
const SLOPE = 1 / 80;

let testServer: TestServer;
let study: string;
let pair: { beforeId: string; afterId: string };

beforeAll(async () => {
  testServer = await TestServer.start();
  const { body } = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Depth", hazard: "flood" },
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
  pair = { beforeId: ids[0]!, afterId: ids[1]! };
});
afterAll(() => testServer.stop());

async function written(name: string): Promise<ChangeMap> {
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/studies/${study}/change-maps`,
    { ...pair, setup: SETUP, name },
  );
  const { result, error } = await testServer.ended(body.runId);
  expect(error).toBeNull();
  return mapOf(String(result!.changeMapId));
}
const mapOf = async (id: string) =>
  (await testServer.call<ChangeMap>("GET", `/change-maps/${id}`)).body;
const measure = ({ id }: ChangeMap, body: object) =>
  testServer.call<{ runId: string } & ErrorAnswer>("POST", `/change-maps/${id}/depth`, body);
const ASK = { flooded: [1], wet: [2] };

test("without elevation, and for classes that are none, it is refused in words", async () => {
  const map = await written("Flat");
  const { status, body } = await measure(map, ASK);
  expect([status, body.error?.message]).toEqual([
    422,
    "The study has no elevation on the cells of this map",
  ]);
  expect((await measure(map, { flooded: [], wet: [] })).body.error?.message).toMatch(
    /Say which classes came under water/,
  );
  expect((await measure(map, { flooded: [9], wet: [] })).body.error?.message).toMatch(/no class 9/);
});

test("level, depth and volume are those of a plane under water, cell by cell and by patch", async () => {
  const elevation = await testServer.importScene(
    study,
    "elevation.tif",
    elevationTiff(WIDTH, HEIGHT),
    { kind: "elevation" },
  );
  expect((await testServer.ended(elevation.runId)).error).toBeNull();
  const map = await written("Deep");
  const { body } = await measure(map, ASK);
  expect((await testServer.ended(body.runId)).error).toBeNull();
  const { depth } = await mapOf(map.id);
  const { areaM2, volumeM3, unknownM2 } = waterOf(depth!.sums, [1], null);
  // The water's level is the ground's at its eastern shore: 4400 m along a slope of 1 in 80.
  const metres = (col: number) => (FLOOD[1] - col - 0.5) * 20 * SLOPE;
  const columns = Array.from({ length: FLOOD[1] - FLOOD[0] }, (_v, k) => metres(FLOOD[0] + k));
  const mean = columns.reduce((sum, one) => sum + one, 0) / columns.length;
  expect(Math.abs(volumeM3 / areaM2 - mean)).toBeLessThan(0.3);
  expect(unknownM2).toBe(0);
  expect(Math.abs(depth!.sums.deepestM - metres(FLOOD[0]))).toBeLessThan(0.8);
  const { patches } = (
    await testServer.call<{ patches: PatchRow[] }>("GET", `/change-maps/${map.id}/patches`)
  ).body;
  const [largest] = patches;
  expect(Math.abs(largest!.depth! - mean)).toBeLessThan(0.3);
  expect(Math.abs(largest!.level! - (4400 * SLOPE - 0.25))).toBeLessThan(0.3);
  expect(largest!.spread).toBeLessThan(0.5);

  // The table tells it.
  const made = await testServer.call<{ runId: string }>("POST", `/change-maps/${map.id}/files`, {
    format: "csv",
  });
  const file = await testServer.ended(made.body.runId);
  const csv = (await testServer.call("GET", `/files/${file.result!.blobId!}`)).bytes.toString();
  expect(csv).toContain(`All,${Math.round(volumeM3)},`);

  // Measured again, the earlier one goes; with the map all of it.
  const again = await measure(map, { flooded: [1], wet: [] });
  expect((await testServer.ended(again.body.runId)).error).toBeNull();
  const later = (await mapOf(map.id)).depth!;
  expect(later.imageId).not.toBe(depth!.imageId);
  const images = async () =>
    (
      await testServer.query<{ n: number }>(
        "SELECT count(*)::int AS n FROM image WHERE id = ANY($1)",
        [[depth!.imageId, later.imageId]],
      )
    )[0]!.n;
  expect(await images()).toBe(1);
  await testServer.call("DELETE", `/change-maps/${map.id}`);
  expect(await images()).toBe(0);
});
