import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { PlaceValues } from "@hindglance/contract/pins";
import { ontoGlobe } from "@hindglance/core/grid/globe";
import type { NormalBand } from "@hindglance/core/normal/band";
import { dateIn } from "./testing/flooded";
import { TestServer } from "./testing/harness";
import { SETUP, radarTiff } from "./testing/pairs";

// Three dates that are normal; a flood of columns 60 to 220; half of it gone twelve days later.
const [WIDTH, HEIGHT] = [320, 256];
const DAYS = ["2025-04-08", "2025-04-20", "2025-05-02", "2025-05-14", "2025-05-26"];
const WATER: [number, number][] = [
  ...Array.from({ length: 3 }, (): [number, number] => [0, 3]),
  [60, 220],
  [60, 140],
];
let testServer: TestServer;
let study: string;
let dates: string[];
let folder: string;

beforeAll(async () => {
  testServer = await TestServer.start();
  const asked = { name: "Series", hazard: "flood" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", asked)).body.id;
  dates = [];
  for (const [k, day] of DAYS.entries()) {
    const file = radarTiff(WIDTH, HEIGHT, k + 1, WATER[k]!);
    dates.push(await dateIn(testServer, study, day, file));
  }
  folder = mkdtempSync(join(tmpdir(), "normal-"));
});
afterAll(async () => {
  await testServer.stop();
  rmSync(folder, { recursive: true });
});

const rule = (label: number, name: string, op: string, value: number) => ({
  ...{ label, name, color: label === 1 ? "#c8246f" : "#33498c" },
  all: [{ layer: "measure", op, value }],
});
const setupOf = (measure: string, rules: object[], more: object = {}) => ({
  ...{ ...SETUP, measure, rules, ...more },
  limits: { ...SETUP.limits, minPatchCells: null },
});

type Answer = { runId: string; error?: { message: string; hint?: string } };
const begun = (beforeId: string, afterId: string, setup: object) =>
  testServer.call<Answer>("POST", `/studies/${study}/change-maps`, {
    ...{ beforeId, afterId, setup, name: "Departure" },
  });

async function written(setup: object): Promise<ChangeMap> {
  const { body } = await begun(dates[2]!, dates[3]!, setup);
  const { result, error } = await testServer.ended(body.runId);
  expect(error).toBeNull();
  return (await testServer.call<ChangeMap>("GET", `/change-maps/${String(result!.changeMapId)}`))
    .body;
}

/** Share of columns that a class covers, of the image's height. */
const columnsOf = ({ rows }: ChangeMap, name: string): number =>
  rows.find((row) => row.zone === null && row.name === name)!.cells / HEIGHT;

test("a flood departs from normal, and still ground does not", async () => {
  const map = await written(
    setupOf("departure", [rule(1, "Below", "<", -3.5), rule(2, "Above", ">", 3.5)]),
  );
  expect(columnsOf(map, "Below") / 160).toBeCloseTo(1, 1);
  // Beside the flood: far less than one cell in a thousand.
  expect(columnsOf(map, "Above") / WIDTH).toBeLessThan(0.001);
  expect(map.provenance.series!.normal.map(({ acquiredAt }) => acquiredAt!.slice(0, 10))).toEqual(
    DAYS.slice(0, 3),
  );
  expect(map.provenance.series!.watched).toHaveLength(2);
});

test("what is normal at a place is told with the map: still ground lies in it, the flood does not", async () => {
  const map = await written(setupOf("departure", [rule(1, "Below", "<", -3.5)]));
  const toGlobe = ontoGlobe(map.info.grid);
  const [, stepX, , , , stepY] = map.info.grid.transform;
  const [x0, , , y0] = map.info.grid.transform;
  /** The band at a column, and what each date shows there. */
  const at = async (col: number) => {
    const [lon, lat] = toGlobe(x0 + (col + 0.5) * stepX, y0 + 128.5 * stepY);
    const told = await testServer.call<{ band: NormalBand | null }>(
      "GET",
      `/change-maps/${map.id}/normal?lon=${lon}&lat=${lat}`,
    );
    const values = await testServer.call<PlaceValues>("POST", `/studies/${study}/values`, {
      ...{ places: [[lon, lat]], sizeCells: 3 },
    });
    const series = values.body.scenes.map(({ values: [bands] }) => bands![0]!);
    return { band: told.body.band!, series };
  };
  const flooded = await at(150);
  flooded.series.slice(0, 3).forEach((value) => {
    expect(value).toBeGreaterThan(flooded.band.low);
    expect(value).toBeLessThan(flooded.band.high);
  });
  expect(flooded.series[3]).toBeLessThan(flooded.band.low);
  const still = await at(280);
  still.series.forEach((value) => {
    expect(value).toBeGreaterThan(still.band.low);
    expect(value).toBeLessThan(still.band.high);
  });
  const outside = await testServer.call<{ band: null }>(
    "GET",
    `/change-maps/${map.id}/normal?lon=0&lat=0`,
  );
  expect(outside.body).toEqual({ band: null });
});

test("when cells left, for how long, and whether they came back", async () => {
  const away = { awaySide: "below", awayBeyond: 3.5 };
  const first = await written(
    setupOf("firstAway", [rule(1, "First 14 May", ">", 0.5), rule(2, "Later", ">", 13)], away),
  );
  expect(columnsOf(first, "First 14 May") / 160).toBeGreaterThan(0.95);
  const back = await written(
    setupOf("cameBack", [rule(1, "Still", "<", 0.5), rule(2, "Back", ">", 0.5)], away),
  );
  expect(columnsOf(back, "Still") / 80).toBeCloseTo(1, 1);
  expect(columnsOf(back, "Back") / 80).toBeCloseTo(1, 1);
  const days = await written(setupOf("daysAway", [rule(1, "12 days", ">", 11.5)], away));
  expect(columnsOf(days, "12 days") / 160).toBeCloseTo(1, 1);
});

test("too few dates, and a time of year without any, are said with what helps", async () => {
  const setup = setupOf("departure", [rule(1, "Below", "<", -3.5)]);
  const few = await begun(dates[1]!, dates[3]!, setup);
  expect(few.status).toBe(422);
  expect(few.body.error!.message).toMatch(/^2 prepared dates up to before/);
  expect(few.body.error!.hint).toMatch(/Import and prepare earlier dates/);
  const season = await begun(dates[2]!, dates[3]!, { ...setup, seasonDays: 15 });
  expect(season.body.error!.message).toMatch(/^1 prepared dates up to before/);
});

test("changes over time are told by the test of all dates: when, how often, darker or brighter", async () => {
  const ask = { statistic: "changes", from: DAYS[0], to: DAYS[4], rarity: 1.5, like: dates[0] };
  const made = await testServer.call<{ scene: { id: string }; runId: string }>(
    "POST",
    `/studies/${study}/scenes/over-time`,
    ask,
  );
  expect((await testServer.ended(made.body.runId)).error).toBeNull();
  const file = await testServer.call<Answer & { fileName: string }>(
    "POST",
    `/studies/${study}/image-files`,
    { sceneId: made.body.scene.id, of: "stored", epsg: null, cellSize: null, asDecibel: false },
  );
  const { result, error } = await testServer.ended(file.body.runId);
  expect(error).toBeNull();
  const { bytes } = await testServer.call("GET", `/files/${String(result!.blobId)}`);
  const path = join(folder, file.body.fileName);
  writeFileSync(path, bytes);
  /** Bands at forty places of a column. */
  const places = (col: number): number[][] => {
    const input = Array.from({ length: 40 }, (_v, k) => `${col} ${20 + 5 * k}`).join("\n");
    const said = execFileSync("gdallocationinfo", ["-valonly", path], { input, encoding: "utf8" });
    const values = said.trim().split(/\s+/).map(Number);
    return Array.from({ length: 40 }, (_v, k) => values.slice(6 * k, 6 * k + 6));
  };
  const share = (col: number, of: (values: number[]) => boolean) =>
    places(col).filter(of).length / 40;
  // Two looks of one polarisation tell 13 dB apart in most cells, not in all.
  // Flooded to the end: darker once, on day 36.
  expect(share(100, ([, n, on, , by]) => n === 1 && on === 36 && by! < -6)).toBeGreaterThan(0.5);
  // There and back: brighter on day 48.
  expect(share(180, ([, n, , last, , by]) => n! > 0 && last === 48 && by! > 6)).toBeGreaterThan(
    0.4,
  );
  expect(share(280, ([, n]) => n === 0)).toBeGreaterThan(0.9);
});
