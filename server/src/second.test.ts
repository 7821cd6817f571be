import { saidAreas } from "@hindglance/core/change/confirmed";
import type { ChangeMap, PatchRow } from "@hindglance/contract/changeMaps";
import type { ComparisonView } from "@hindglance/contract/comparison";
import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { FLOOD_SIZE, FloodedStudy, dateIn } from "./testing/flooded";
import { TestServer } from "./testing/harness";
import { SETUP, X0, Y0, radarTiff } from "./testing/pairs";

// The index says water from column 60 to 180 and saw nothing below row 150; the radar says water from
// 60 to 220 and from 300 to 340.
const SEEN_ROWS = 150;
let testServer: TestServer;
let study: FloodedStudy;
let scene: string;

/** An index as a camera near the flood gives it. */
const indexTiff = (): Uint8Array =>
  buildTiff({
    ...FLOOD_SIZE,
    value: (c, r) => (r >= SEEN_ROWS ? -9999 : Number(c >= 60 && c < 180) - 0.5),
    extra: [
      ...UTM27S_KEYS,
      ...at(X0, Y0, 20),
      [42112, 2, `<M><Item name="D" sample="0" role="description">MNDWI</Item></M>`],
      [42113, 2, "-9999"],
    ],
  });

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Seen by two");
  const facts = { acquiredAt: "2025-05-15T13:00:00Z", kind: "other" };
  const made = await testServer.importScene(study.id, "index.tif", indexTiff(), facts);
  expect((await testServer.ended(made.runId)).error).toBeNull();
  scene = made.id;
});
afterAll(() => testServer.stop());

const secondOf = (afterId: string, more: object = {}) => ({
  ...{ beforeId: null, afterId, look: { band: "MNDWI" } },
  confirms: { labels: [1], layer: "secondAfter", op: ">", value: 0 },
  ...more,
});
const setupOf = (second: object | null, limits: object = {}) => ({
  ...{ ...SETUP, second },
  limits: { ...SETUP.limits, ...limits },
});

async function written(name: string, setup: object): Promise<ChangeMap> {
  const asked = { ...study.dates, setup, name };
  const path = `/studies/${study.id}/change-maps`;
  const map = await study.mapOf(await testServer.call<{ runId: string }>("POST", path, asked));
  await testServer.quiet();
  return (await testServer.call<ChangeMap>("GET", `/change-maps/${map.id}`)).body;
}

const columns = (cells: number, rows: number) => cells / rows;

describe("a second sensor that is asked about a map", () => {
  let map: ChangeMap;
  beforeAll(async () => {
    map = await written("Asked", setupOf(secondOf(scene)));
  }, 90_000);

  test("says of its class what it confirms, what not, and what it did not see; the sum is the class", () => {
    const { areas } = saidAreas(map.confirmed!.tally, [1])[0]!;
    const whole = map.rows.find((row) => row.zone === null && row.label === 1)!;
    expect(areas.confirmed.cells + areas.against.cells + areas.unseen.cells).toBe(whole.cells);
    expect(columns(areas.confirmed.cells, SEEN_ROWS) / 120).toBeCloseTo(1, 1);
    expect(columns(areas.against.cells, SEEN_ROWS) / 80).toBeCloseTo(1, 1);
    expect(columns(areas.unseen.cells, FLOOD_SIZE.height - SEEN_ROWS) / 200).toBeCloseTo(1, 1);
  });

  test("by zone too: West ends at column 120, where all that it saw is water", () => {
    const [west, east] = [1, 2].map((zone) => saidAreas(map.confirmed!.tally, [1], zone)[0]!.areas);
    expect(columns(west!.confirmed.cells, SEEN_ROWS) / 60).toBeCloseTo(1, 1);
    expect(west!.against.cells / west!.confirmed.cells).toBeLessThan(0.02);
    expect(columns(east!.against.cells, SEEN_ROWS) / 40).toBeCloseTo(1, 1);
  });

  test("patch by patch, which can be sorted by what it does not confirm", async () => {
    const { body } = await testServer.call<{ patches: PatchRow[] }>(
      "GET",
      `/change-maps/${map.id}/patches?labels=1&sort=against&leastM2=100000`,
    );
    const [worst, next] = body.patches;
    // The patch that it does not know at all comes first, then the flood with its doubtful rim.
    expect(worst!.confirmedShare).toBeCloseTo(0, 2);
    expect(worst!.seenShare).toBeCloseTo(SEEN_ROWS / FLOOD_SIZE.height, 1);
    expect(next!.confirmedShare! / next!.seenShare!).toBeCloseTo(120 / 160, 1);
  });

  test("stands in the table, in files of patches and among what the map was made from", async () => {
    const made = await testServer.call<{ runId: string }>("POST", `/change-maps/${map.id}/files`, {
      format: "csv",
    });
    const { result } = await testServer.ended(made.body.runId);
    const { bytes } = await testServer.call("GET", `/files/${String(result!.blobId)}`);
    const lines = Buffer.from(bytes).toString().split("\n");
    const head = lines.findIndex((line) => line.includes("not confirmed km2"));
    expect(lines[head + 1]).toMatch(/^All,New water,/);
    expect(lines.join("\n")).toContain("MNDWI > 0.00 of index");
    expect(map.provenance.second).toMatchObject({ look: "MNDWI", before: null });
    expect(map.provenance.second!.after.sha256).toHaveLength(64);
  });
});

test("what it does not confirm leaves where that is asked; what it did not see stays", async () => {
  const map = await written("Without", setupOf(secondOf(scene), { against: true }));
  const { areas } = saidAreas(map.confirmed!.tally, [1])[0]!;
  expect(areas.against.cells).toBe(0);
  expect(columns(areas.unseen.cells, FLOOD_SIZE.height - SEEN_ROWS) / 200).toBeCloseTo(1, 1);
  const effect = map.tally.limits!.find(({ name }) => name === "against")!;
  expect(columns(effect.droppedCells, SEEN_ROWS) / 80).toBeCloseTo(1, 1);
});

test("on the way to a map its shares are measured with the areas", async () => {
  const view = () => testServer.call<ComparisonView>("GET", `/studies/${study.id}/comparison`);
  const { body } = await testServer.call<ComparisonView>(
    "PATCH",
    `/studies/${study.id}/comparison`,
    {
      changes: [
        { op: "replace", path: "", value: { ...study.dates, setup: setupOf(secondOf(scene)) } },
      ],
    },
  );
  expect(body.nodes!.second).toMatchObject({ name: "MNDWI", scene: "index" });
  await testServer.quiet();
  const { areas } = (await view()).body;
  if (areas?.state !== "known") {
    throw new Error("The areas are not known");
  }
  const said = saidAreas(areas.tally.confirmed!, [1])[0]!.areas;
  expect(columns(said.confirmed.cells, SEEN_ROWS) / 120).toBeCloseTo(1, 1);
});

test("a scene that is gone, of another study, or without what is looked at is named", async () => {
  const ask = (second: object) =>
    testServer.call<{ error: { message: string; field: string } }>(
      "POST",
      `/studies/${study.id}/compare/nodes`,
      { ...study.dates, setup: setupOf(second) },
    );
  const gone = await ask(secondOf("11111111-1111-4111-8111-111111111111"));
  expect(gone.status).toBe(422);
  expect(gone.body.error).toMatchObject({ field: "second.afterId" });
  const band = await ask(secondOf(scene, { look: { band: "NDVI" } }));
  expect(band.body.error.message).toMatch(/no band NDVI/);
  const index = await ask(secondOf(scene, { look: { index: "ndwi" } }));
  expect(index.body.error.message).toMatch(/no bands for NDWI/);
  const wrong = await ask(secondOf(scene, { look: {} }));
  expect(wrong.status).toBe(422);
  const other = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Other", hazard: "flood" },
  });
  const foreign = await dateIn(
    testServer,
    other.body.id,
    "2025-05-15",
    radarTiff(64, 64, 3, [0, 3]),
  );
  const patched = await testServer.call<{ error: { field: string } }>(
    "PATCH",
    `/studies/${study.id}/comparison`,
    {
      changes: [
        { op: "replace", path: "", value: { ...study.dates, setup: setupOf(secondOf(foreign)) } },
      ],
    },
  );
  expect(patched.status).toBe(422);
  expect(patched.body.error.field).toBe("setup.second");
});
