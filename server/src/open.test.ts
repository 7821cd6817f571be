import { execFile } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import { decode } from "fast-png";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import { FloodedStudy, cornerAt } from "./testing/flooded";
import { TestServer, jsonOf } from "./testing/harness";

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
});
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
});

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
});

/** The tile of a level that holds the middle of the map, by the textbook formula. */
function middleTile(level: number): { column: number; row: number } {
  const [lon, lat] = cornerAt(140, 150);
  const radians = (lat * Math.PI) / 180;
  const up = Math.log(Math.tan(radians) + 1 / Math.cos(radians));
  return {
    column: Math.floor(((lon + 180) / 360) * 2 ** level),
    row: Math.floor(((1 - up / Math.PI) / 2) * 2 ** level),
  };
}
const bytesAt = async (path: string): Promise<Buffer> => {
  const response = await fetch(`${open}${path}`);
  expect(response.status).toBe(200);
  return Buffer.from(await response.arrayBuffer());
};

test("another hand's reader finds patches in a vector tile with their values", async () => {
  const level = 11;
  const { column, row } = middleTile(level);
  const plain = `/vectors/patches-${map.id}/${level}/${column}/${row}.pbf`;
  const folder = mkdtempSync(join(tmpdir(), "tiles-"));
  const path = join(folder, "tile.pbf");
  const bytes = await bytesAt(plain);
  writeFileSync(path, bytes);
  const place = ["-oo", `X=${column}`, "-oo", `Y=${row}`, "-oo", `Z=${level}`];
  const info = await tool("ogrinfo", "-al", path, ...place);
  expect(info).toContain(`Layer name: patches-${map.id}`);
  const whole = map.rows.filter(({ zone, label, cells }) => !zone && label > 0 && cells > 0);
  whole.forEach(({ name }) => expect(info).toContain(`class (String) = ${name}`));
  const area = Number(/area_m2 \(\w+\) = ([\d.]+)/.exec(info)![1]);
  expect(area).toBeGreaterThan(0);
  // The standard's address leads to the same tile.
  const own = `/collections/patches-${map.id}/tiles/WebMercatorQuad/${level}/${row}/${column}`;
  expect(await bytesAt(own)).toEqual(bytes);
  rmSync(folder, { recursive: true });
});

test("a map program shows the picture of the classes where they lie", async () => {
  const path = `${open}/pictures/${map.id}/change/\${z}/\${x}/\${y}.png`;
  const service = `<GDAL_WMS><Service name="TMS"><ServerUrl>${path}</ServerUrl></Service>
    <DataWindow><UpperLeftX>-20037508.34</UpperLeftX><UpperLeftY>20037508.34</UpperLeftY>
    <LowerRightX>20037508.34</LowerRightX><LowerRightY>-20037508.34</LowerRightY>
    <TileLevel>14</TileLevel><TileCountX>1</TileCountX><TileCountY>1</TileCountY>
    <YOrigin>top</YOrigin></DataWindow><Projection>EPSG:3857</Projection>
    <BlockSizeX>256</BlockSizeX><BlockSizeY>256</BlockSizeY><BandsCount>4</BandsCount></GDAL_WMS>`;
  const first = map.info.classes![0]!;
  const color = [1, 3, 5].map((k) => parseInt(first.color.slice(k, k + 2), 16));
  const at = async (col: number, row: number) => {
    const [lon, lat] = cornerAt(col, row);
    const said = await tool(
      ...(["gdallocationinfo", "-valonly", "-wgs84", service] as const),
      ...[String(lon), String(lat)],
    );
    return said.trim().split(/\s+/).map(Number);
  };
  // In the middle of the flood the colour of its class; where nothing changed, nothing.
  expect(await at(140.5, 150.5)).toEqual([...color, 255]);
  expect((await at(20.5, 150.5))[3]).toBe(0);
});

test("pictures of both dates are handed out as tiles, clear where no image is", async () => {
  const { column, row } = middleTile(12);
  for (const side of ["before", "after"]) {
    const { data, channels } = decode(
      await bytesAt(`/pictures/${map.id}/${side}/12/${column}/${row}.png`),
    );
    expect(channels).toBe(4);
    const opaque = data.filter((value, i) => i % 4 === 3 && value === 255).length;
    expect(opaque).toBeGreaterThan(1000);
  }
  const far = decode(await bytesAt(`/pictures/${map.id}/after/12/0/0.png`));
  expect(far.data.every((value) => value === 0)).toBe(true);
});

test("tiles lead from page to page as the standard says", async () => {
  const collection = await jsonOf<{ links: { rel: string; href: string }[] }>(
    fetch(`${open}/collections/patches-${map.id}`),
  );
  const rels = ["tilesets-vector", "tilesets-map"].map(
    (rel) => `http://www.opengis.net/def/rel/ogc/1.0/${rel}`,
  );
  for (const rel of rels) {
    const { href } = collection.links.find((one) => one.rel === rel)!;
    const sets = await jsonOf<{ tilesets: { links: { rel: string; href: string }[] }[] }>(
      fetch(href),
    );
    const { column, row } = middleTile(9);
    const template = sets.tilesets[0]!.links.find((one) => one.rel === "item")!.href;
    const tile = template
      .replace("{tileMatrix}", "9")
      .replace("{tileRow}", String(row))
      .replace("{tileCol}", String(column));
    expect((await fetch(tile)).status).toBe(200);
  }
  const set = await jsonOf<{ tileMatrices: { id: string; scaleDenominator: number }[] }>(
    fetch(`${open}/tileMatrixSets/WebMercatorQuad`),
  );
  // The denominators of the standard's own table.
  expect(set.tileMatrices[0]!.scaleDenominator).toBeCloseTo(559_082_264.028_717_8, 3);
  expect(set.tileMatrices[18]!.scaleDenominator).toBeCloseTo(2132.729_583_849_784, 6);
});

test.each([
  ["/collections/zones/map/tiles", 404],
  ["/pictures/x/change/1/0/0.png", 404],
  ["/vectors/zones/3/9/0.pbf", 400],
  ["/vectors/zones/99/0/0.pbf", 400],
  ["/vectors/zones/1/0/-1.pbf", 400],
  ["/vectors/none/1/0/0.pbf", 404],
])("a tile that is not there is said: %s", async (path, status) => {
  expect((await asked(path)).status).toBe(status);
});

test("switched off, nothing is handed out any more", async () => {
  const study = open.split("/").at(-1)!;
  await testServer.call("PUT", `/studies/${study}/open`, { on: false });
  expect((await asked("")).status).toBe(404);
  expect((await asked(patches())).status).toBe(404);
  expect((await asked("/stac")).status).toBe(404);
  await testServer.call("PUT", `/studies/${study}/open`, { on: true });
  expect((await asked("")).status).toBe(200);
});
