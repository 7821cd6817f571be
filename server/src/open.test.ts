import { execFile } from "node:child_process";
import { promisify } from "node:util";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import { FloodedStudy, cornerAt } from "./testing/flooded";
import { TestServer } from "./testing/harness";

// Open services are read by the tools of another hand, over HTTP as a map program does.
let testServer: TestServer;
let map: ChangeMap;
let open: string;

const run = promisify(execFile);
/** What a tool of another hand says; it runs beside this process, which serves nothing itself. */
const tool = async (name: string, ...args: string[]): Promise<string> =>
  (await run(name, args, { encoding: "utf8", timeout: 20_000 })).stdout;

beforeAll(async () => {
  testServer = await TestServer.start();
  const study = await FloodedStudy.make(testServer, "Open");
  map = await study.write("Open map");
  await testServer.quiet();
  const path = `/studies/${study.id}/open`;
  const closed = await testServer.call("GET", path);
  expect(closed.body).toEqual({ on: false, path: null });
  expect((await fetch(`${testServer.base}/open/${study.id}`)).status).toBe(404);
  await testServer.call("PUT", path, { on: true });
  await testServer.quiet();
  open = `${testServer.base}/open/${study.id}`;
}, 90_000);
afterAll(() => testServer.stop());

const asked = async (path: string, init: RequestInit = {}) => {
  const response = await fetch(`${open}${path}`, init);
  return { status: response.status, headers: response.headers, text: await response.text() };
};
const patches = () => `/collections/patches-${map.id}/items`;

test("another hand's reader finds the collections and every patch, page by page", async () => {
  const layers = await tool("ogrinfo", "-q", `OAPIF:${open}`);
  expect(layers).toContain(`patches-${map.id}`);
  expect(layers).toContain("zones");
  const layer = `patches-${map.id}`;
  const info = await tool("ogrinfo", "-so", `OAPIF:${open}`, layer, "-oo", "PAGE_SIZE=3");
  expect(info).toContain(`Feature Count: ${map.patchCount}`);
  expect(info).toMatch(/area_m2: Real/);
  const sql = `SELECT class, sum(area_m2) AS a FROM "${layer}" GROUP BY class`;
  const csv = await tool(
    "ogr2ogr",
    ...["-f", "CSV", "/vsistdout/", `OAPIF:${open}`, "-dialect", "SQLite", "-sql", sql],
  );
  const read = csv.replaceAll('"', "").trim().split(/\r?\n/).slice(1);
  const whole = map.rows.filter(({ zone, label, cells }) => !zone && label > 0 && cells > 0);
  expect(read).toHaveLength(whole.length);
  for (const line of read) {
    const [name, area] = line.split(",");
    expect(Number(area)).toBeCloseTo(whole.find((row) => row.name === name)!.areaM2, 0);
  }
}, 60_000);

test("patches of a box are those of that box, of a class those of that class", async () => {
  const [west, north] = cornerAt(290, 0);
  const [east, south] = cornerAt(419, 299);
  const layer = `patches-${map.id}`;
  const boxed = await tool(
    "ogrinfo",
    ...[
      "-so",
      `OAPIF:${open}`,
      layer,
      "-spat",
      String(west),
      String(south),
      String(east),
      String(north),
    ],
  );
  const inBox = Number(/Feature Count: (\d+)/.exec(boxed)![1]);
  expect(inBox).toBeGreaterThan(0);
  expect(inBox).toBeLessThan(map.patchCount);
  const { text } = await asked(`${patches()}?class=New%20water&limit=1`);
  const page: unknown = JSON.parse(text);
  expect(page).toMatchObject({
    type: "FeatureCollection",
    features: [{ properties: { class: "New water" } }],
  });
  expect(page).toMatchObject({
    links: [{ rel: "self" }, { rel: "next", href: expect.stringContaining("offset=1") as unknown }],
  });
});

test("times that the map does not tell of have no patches", async () => {
  const count = async (datetime: string): Promise<unknown> =>
    JSON.parse((await asked(`${patches()}?limit=1&datetime=${datetime}`)).text);
  const all = { numberMatched: map.patchCount };
  expect(await count("2025-05-10T00:00:00Z")).toMatchObject(all);
  expect(await count("2025-05-14/..")).toMatchObject(all);
  expect(await count("../2025-05-01")).toMatchObject({ numberMatched: 0 });
});

test("one feature has an address, and what is not there is said", async () => {
  const one = await asked(`${patches()}/1`);
  expect(JSON.parse(one.text)).toMatchObject({
    id: 1,
    geometry: { type: expect.any(String) as unknown },
  });
  for (const path of [
    `${patches()}/0`,
    `${patches()}/999999`,
    "/collections/x",
    "/stac/items/x",
    "/x",
  ]) {
    expect((await asked(path)).status).toBe(404);
  }
});

test.each([
  ["bbox=1,2,3", /bbox: four numbers/],
  ["bbox=0,50,1,40", /south lies at or below north/],
  ["bbox=a,b,c,d", /bbox/],
  ["limit=0", /limit: a whole number from 1/],
  ["limit=2.5", /limit/],
  ["offset=-1", /offset/],
  ["datetime=yesterday", /“yesterday” is no day/],
  ["datetime=2025-05-14/2025-05-01", /ends before it begins/],
  ["class=Sand", /there is no class “Sand”; there are New water/],
  ["verdict=maybe", /verdict: one of/],
  ["colour=red", /colour: there is no such parameter/],
  ["limit=1&limit=2", /limit/],
])("%s is refused", async (query, words) => {
  const { status, text } = await asked(`${patches()}?${query}`);
  expect(status).toBe(400);
  expect(text).toMatch(words);
});

test("huge questions have bounded answers, and nothing can be written", async () => {
  const { text } = await asked(`${patches()}?limit=99999999`);
  const returned = (text.match(/"type":"Feature"/g) ?? []).length;
  expect(returned).toBe(map.patchCount);
  expect((await asked(`${patches()}?bbox=${"1,".repeat(5000)}`)).status).toBe(400);
  expect((await asked("/collections", { method: "POST" })).status).toBe(405);
  expect((await asked("/collections", { method: "DELETE" })).status).toBe(405);
});

test("the classes are read by ranges where they lie, and the catalogue leads to them", async () => {
  const catalogue: unknown = JSON.parse((await asked("/stac")).text);
  expect(catalogue).toMatchObject({ type: "Catalog", stac_version: "1.0.0" });
  const itemText = (await asked(`/stac/items/${map.id}`)).text;
  const href = /"href":"([^"]+\.tif)"/.exec(itemText)![1]!;
  const info = await tool("gdalinfo", `/vsicurl/${href}`);
  expect(info).toContain(`Size is ${map.info.grid.width}, ${map.info.grid.height}`);
  const [lon, lat] = cornerAt(140, 150);
  const value = await tool(
    "gdallocationinfo",
    "-valonly",
    "-wgs84",
    `/vsicurl/${href}`,
    String(lon),
    String(lat),
  );
  // In the middle of the flood.
  expect(map.info.classes!.find(({ label }) => label === Number(value))!.name).toBe("New water");
  const part = await fetch(href, { headers: { range: "bytes=4-7" } });
  expect([part.status, part.headers.get("content-range")]).toEqual([
    206,
    expect.stringMatching(/^bytes 4-7\/\d+$/) as unknown,
  ]);
  expect((await part.arrayBuffer()).byteLength).toBe(4);
  expect((await fetch(href, { headers: { range: "bytes=999999999-" } })).status).toBe(416);
  // What readers look for beside it is not there, and is not the file itself.
  expect((await fetch(`${href}.ovr`)).status).toBe(404);
  const head = await fetch(href, { method: "HEAD" });
  expect(head.headers.get("accept-ranges")).toBe("bytes");
  // Scenes are items too, where they lie on the ground.
  expect((itemText.match(/EPSG|proj:epsg/g) ?? []).length).toBeGreaterThan(0);
}, 60_000);

test("switched off, nothing is handed out any more", async () => {
  const study = open.split("/").at(-1)!;
  await testServer.call("PUT", `/studies/${study}/open`, { on: false });
  expect((await asked("")).status).toBe(404);
  expect((await asked(patches())).status).toBe(404);
  expect((await asked("/stac")).status).toBe(404);
  await testServer.call("PUT", `/studies/${study}/open`, { on: true });
  expect((await asked("")).status).toBe(200);
});
