import type { ChangeMap, PatchRow } from "@hindglance/contract/changeMaps";
import type { ErrorAnswer } from "@hindglance/contract/errors";
import type { Said, StandingArea } from "@hindglance/contract/verdicts";
import { FloodedStudy } from "./testing/flooded";
import { TestServer, bodyIn } from "./testing/harness";

// A flood in two columns of water that were dry, over two zones; a reviewer, and the map made anew.
let testServer: TestServer;
let study: FloodedStudy;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Verdicts");
});
afterAll(() => testServer.stop());

/** Writes a map of the pair, with so many cells in its least patch. */
const written = (name: string, minPatchCells: number): Promise<ChangeMap> =>
  study.write(name, { minPatchCells });
const patchesOf = async ({ id }: ChangeMap, query = "") =>
  (await testServer.call<{ patches: PatchRow[] }>("GET", `/change-maps/${id}/patches?${query}`))
    .body.patches;
const say = ({ id }: ChangeMap, body: object) =>
  testServer.call<{ act: number | null; patches: number } & ErrorAnswer>(
    "POST",
    `/change-maps/${id}/verdicts`,
    { reviewer: "Ann", ...body },
  );
const standingOf = async ({ id }: ChangeMap) =>
  (
    await testServer.call<{ areas: StandingArea[]; zonesKnown: boolean }>(
      "GET",
      `/change-maps/${id}/standing`,
    )
  ).body;
const saidOf = async ({ id }: ChangeMap, patch: number) =>
  (await testServer.call<Said[]>("GET", `/change-maps/${id}/patches/${patch}/verdicts`)).body;

let map: ChangeMap;
beforeAll(async () => {
  map = await written("First", 9);
});

test("areas by class and zone of what stands open are those of the map's own table", async () => {
  const { areas, zonesKnown } = await standingOf(map);
  expect(zonesKnown).toBe(true);
  const numbers = new Map(["West", "East", "In no zone"].map((name, k) => [name, (k + 1) % 3]));
  for (const row of map.rows.filter(({ label }) => label > 0)) {
    const number = row.zone === null ? null : numbers.get(row.zone)!;
    const found = areas.filter((one) => one.zone === number && one.label === row.label);
    const sum = (of: "cells" | "areaM2") => found.reduce((total, one) => total + one[of], 0);
    expect(sum("cells")).toBe(row.cells);
    expect(Math.abs(sum("areaM2") - row.areaM2)).toBeLessThanOrEqual(1e-9 * row.areaM2);
  }
  expect(areas.some((one) => one.zone === 1 && one.cells > 1000)).toBe(true);
});

test("what nobody could mean is refused in words", async () => {
  const cases: [object, RegExp][] = [
    [{ verdict: "real" }, /not said of which patches/],
    [{ verdict: "real", numbers: [1], which: {} }, /not said of which patches/],
    [{ numbers: [1] }, /Nothing is said/],
    [{ verdict: "perhaps", numbers: [1] }, /verdict must be one of/],
    [{ verdict: "real", numbers: [1], reviewer: "" }, /Say who you are/],
    [{ verdict: "real", numbers: [0] }, /greater than or equal to 1/],
    [{ note: "x".repeat(2001), numbers: [1] }, /at most 2000/],
  ];
  for (const [body, message] of cases) {
    const { status, body: answer } = await say(map, body);
    expect([status, answer.error?.message]).toEqual([422, expect.stringMatching(message)]);
  }
  const away = { id: "00000000-0000-4000-8000-000000000000" };
  const said = await testServer.call("POST", `/change-maps/${away.id}/verdicts`, {
    ...{ reviewer: "Ann", verdict: "real", numbers: [1] },
  });
  expect(said.status).toBe(404);
  const turned = await testServer.call("PATCH", `/change-maps/${map.id}/verdict-acts/999`, {
    undone: true,
  });
  expect(turned.status).toBe(404);
});

test("what was said is there when the server was killed, and goes on to a map that is made anew", async () => {
  const patches = await patchesOf(map, "sort=number&down=false");
  expect(patches.length).toBeGreaterThan(1);
  expect((await say(map, { verdict: "real", numbers: [1], note: "the river" })).body.patches).toBe(
    1,
  );
  const others = patches.slice(1).map(({ number }) => number);
  const { act } = (await say(map, { verdict: "false", numbers: others })).body;
  await testServer.kill();
  await testServer.restart();
  expect((await patchesOf(map, "standings=false")).length).toBe(others.length);
  expect((await patchesOf(map, "standings=real,disputed")).map(({ number }) => number)).toEqual([
    1,
  ]);

  // Files tell what was said; one that was made before is made anew.
  const fileOf = async (format: string) => {
    const { body } = await testServer.call<{ runId: string }>(
      "POST",
      `/change-maps/${map.id}/files`,
      { format },
    );
    const { result } = await testServer.ended(body.runId);
    return (await testServer.call("GET", `/files/${result!.blobId!}`)).bytes.toString();
  };
  expect(await fileOf("csv")).toMatch(
    /All,New water,\d+,[\d.]+,[\d.]+,[\d.]+,real,1\r\n[^]*reviewers,Ann: 2 patches/,
  );
  const features = bodyIn<{ features: { properties: { verdict: string } }[] }>(
    await fileOf("geojson"),
  ).features;
  expect(features.map(({ properties }) => properties.verdict)).toEqual(
    patches.map((_patch, k) => (k === 0 ? "real" : "false")),
  );
  const made = async () =>
    (await testServer.call<ChangeMap>("GET", `/change-maps/${map.id}`)).body.files.map(
      ({ format }) => format,
    );
  expect(await made()).toEqual(["csv", "geojson"]);
  await say(map, { note: "seen twice", numbers: [1] });
  expect(await made()).toEqual([]);

  // Made with another least patch: what lies on judged ground is judged, and says by what.
  const anew = await written("Anew", 6);
  const [largest] = await patchesOf(anew, "sort=area");
  expect(largest!.standing).toBe("real");
  const [said] = await saidOf(anew, largest!.number);
  expect(said).toMatchObject({ reviewer: "Ann", verdict: "real", note: "seen twice" });
  expect(said!.inherited).toMatchObject({ map: "First", patch: 1 });
  expect(said!.inherited!.share).toBeGreaterThan(0.9);
  const fresh = await patchesOf(anew, "standings=open");
  expect(fresh.length).toBe((await patchesOf(anew)).length - others.length - 1);
  expect(Math.max(0, ...fresh.map(({ cells }) => cells))).toBeLessThan(9);

  // Taken back on the first map: the other keeps what it took over, until somebody says otherwise.
  await testServer.call("PATCH", `/change-maps/${map.id}/verdict-acts/${act!}`, { undone: true });
  expect(await patchesOf(map, "standings=false")).toEqual([]);
  expect((await patchesOf(anew, "standings=false")).length).toBe(others.length);
  await say(anew, { verdict: "real", numbers: [largest!.number] });
  expect((await saidOf(anew, largest!.number))[0]).toMatchObject({
    ...{ verdict: "real", note: "seen twice", inherited: null },
  });
});
