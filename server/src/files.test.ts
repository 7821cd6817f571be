import { execFileSync } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import * as yup from "yup";
import type { ChangeMap } from "@hindglance/contract/changeMaps";
import type { FileFormat } from "@hindglance/contract/files";
import { FloodedStudy } from "./testing/flooded";
import { TestServer } from "./testing/harness";

// A flood over two zones; its files are read by the tools of another hand.
let testServer: TestServer;
let map: ChangeMap;
let folder: string;

beforeAll(async () => {
  testServer = await TestServer.start();
  const study = await FloodedStudy.make(testServer, "Files");
  map = await study.write("Überflutung 1");
  // The doubt of patches is counted, and stays.
  await testServer.quiet();
  folder = mkdtempSync(join(tmpdir(), "files-"));
});
afterAll(async () => {
  await testServer.stop();
  rmSync(folder, { recursive: true });
});

/** Makes a file of the map and takes it; gives where it lies and what it is called. */
async function taken(format: FileFormat): Promise<{ path: string; name: string }> {
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/change-maps/${map.id}/files`,
    { format },
  );
  const { result, error } = await testServer.ended(body.runId);
  expect(error).toBeNull();
  const { bytes, status } = await testServer.call("GET", `/files/${String(result!.blobId)}`);
  expect(status).toBe(200);
  const name = String(result!.fileName);
  const path = join(folder, name);
  writeFileSync(path, bytes);
  return { path, name };
}

/** What the tools of another hand count in a file: a line a class, its patches and their area. */
function countedIn(source: string, layer: string): string[] {
  const sql = `SELECT class, count(*) AS n, sum(area_m2) AS a FROM "${layer}" GROUP BY class ORDER BY class`;
  const args = ["-f", "CSV", "/vsistdout/", source, "-dialect", "SQLite", "-sql", sql];
  const lines = execFileSync("ogr2ogr", args, { encoding: "utf8" }).replaceAll('"', "");
  return lines.trim().split(/\r?\n/).slice(1);
}

const checksumOf = (path: string): string =>
  execFileSync("sha256sum", [path], { encoding: "utf8" }).split(" ")[0]!;

test("patches are the same in every file: number and area by class, as the table has them", async () => {
  const whole = map.rows.filter(
    ({ zone, label, cells }) => zone === null && label > 0 && cells > 0,
  );
  const shapefile = await taken("shapefile");
  expect(shapefile.name).toBe("Uberflutung_1.shp.zip");
  const files = {
    geojson: [(await taken("geojson")).path, "Überflutung 1"],
    shapefile: [`/vsizip/${shapefile.path}/patches.shp`, "patches"],
    kmz: [(await taken("kmz")).path, "Überflutung 1"],
    geoPackage: [(await taken("geoPackage")).path, "patches"],
    flatGeobuf: [(await taken("flatGeobuf")).path, "Überflutung 1"],
    xlsx: [(await taken("xlsx")).path, "Patches"],
  } as const;
  const counted = Object.values(files).map(([path, layer]) => countedIn(path, layer));
  for (const lines of counted) {
    const read = lines.map((line) => line.split(","));
    expect(read.map(([name]) => name)).toEqual(whole.map(({ name }) => name).sort());
    expect(read.reduce((sum, [, count]) => sum + Number(count), 0)).toBe(map.patchCount);
    for (const [name, , area] of read) {
      const row = whole.find((one) => one.name === name)!;
      // Areas of patches are kept to square centimetres.
      expect(Number(area)).toBeCloseTo(row.areaM2, 0);
    }
  }
  const numbersIn = (lines: string[]) => lines.map((line) => line.split(",").slice(0, 2));
  counted.forEach((lines) => expect(numbersIn(lines)).toEqual(numbersIn(counted[0]!)));
});

test("outlines of the Shapefile cover on the ground what they say", async () => {
  const { path } = await taken("shapefile");
  // In the map's own metres, as their tools put them there.
  const args = ["-t_srs", "EPSG:32727", "-f", "CSV", "/vsistdout/", `/vsizip/${path}/patches.shp`];
  const sql = "SELECT cells, ST_Area(ST_Transform(geometry, 32727)) AS m2 FROM patches";
  const lines = execFileSync("ogr2ogr", [...args, "-dialect", "SQLite", "-sql", sql], {
    encoding: "utf8",
  });
  const read = lines.replaceAll('"', "").trim().split(/\r?\n/).slice(1);
  expect(read).toHaveLength(map.patchCount);
  for (const line of read) {
    const [cells, m2] = line.split(",").map(Number);
    expect(m2! / (cells! * 400)).toBeCloseTo(1, 3);
  }
});

test("all files in one archive are those that are made one by one, and their list says so", async () => {
  const { path, name } = await taken("bundle");
  expect(name).toBe("Uberflutung_1.zip");
  const within = join(folder, "unpacked");
  execFileSync("unzip", ["-q", path, "-d", within]);
  const checked = execFileSync("sha256sum", ["--check", "--strict", "SHA256SUMS"], {
    cwd: within,
    encoding: "utf8",
  });
  const names = checked.trim().split("\n");
  // All but depth, which is not measured, and a sample, which is not drawn.
  expect(names).toHaveLength(19);
  const alike = ["cog", "classTable", "measure", "probability", "geojson", "kmz", "csv"] as const;
  for (const format of [...alike, "geoPackage", "flatGeobuf"] as const) {
    const alone = await taken(format);
    expect(names).toContain(`${alone.name}: OK`);
    expect(readFileSync(join(within, alone.name))).toEqual(readFileSync(alone.path));
  }

  const item: unknown = JSON.parse(readFileSync(join(within, "Uberflutung_1.item.json"), "utf8"));
  const sum = checksumOf(join(within, "Uberflutung_1.tif"));
  expect(item).toMatchObject({
    bbox: [expect.any(Number), expect.any(Number), expect.any(Number), expect.any(Number)],
    properties: {
      ...{ datetime: "2025-05-14T18:00:00.000Z", start_datetime: "2025-05-02T18:00:00.000Z" },
      ...{ "proj:epsg": 32727, "proj:shape": [map.info.grid.height, map.info.grid.width] },
    },
    assets: {
      cog: { href: "./Uberflutung_1.tif", "file:checksum": `1220${sum}` },
      xlsx: { href: "./Uberflutung_1.xlsx" },
    },
  });
  expect(item).not.toHaveProperty("assets.depth");
  // Every asset lies there.
  const hrefs = [...JSON.stringify(item).matchAll(/"href":"(.+?)"/g)].map(([, href]) => href!);
  expect(hrefs).toHaveLength(18);
  expect(hrefs.filter((href) => !existsSync(join(within, href)))).toEqual([]);
});

test("the same map gives the same bytes", async () => {
  for (const format of ["shapefile", "kmz", "geoPackage", "flatGeobuf", "measure"] as const) {
    const digests = [];
    for (let k = 0; k < 2; k++) {
      const { path } = await taken(format);
      digests.push(checksumOf(path));
    }
    expect(digests[0]).toBe(digests[1]);
  }
});

/** What the tools of another hand say of an image. */
const saidOfImage = yup.object({
  size: yup.array(yup.number().required()).required(),
  bands: yup
    .array(
      yup
        .object({
          ...{ description: yup.string(), unit: yup.string(), noDataValue: yup.mixed() },
          ...{ mean: yup.number(), minimum: yup.number(), maximum: yup.number() },
        })
        .required(),
    )
    .required(),
  rat: yup
    .object({
      row: yup.array(yup.object({ f: yup.array(yup.mixed().required()).required() })).required(),
      fieldDefn: yup.array(yup.object({ name: yup.string().required() })).required(),
    })
    .default(undefined),
});
const imageInfo = (path: string, ...more: string[]) =>
  saidOfImage.validateSync(
    JSON.parse(execFileSync("gdalinfo", ["-json", ...more, path], { encoding: "utf8" })),
  );

test("names, colours and areas of the classes are read beside the GeoTIFF", async () => {
  const { path } = await taken("cog");
  const table = await taken("classTable");
  expect(table.path).toBe(`${path}.aux.xml`);
  const said = imageInfo(path);
  const classes = [{ label: 0, name: "No change" }, ...map.info.classes!];
  const words = execFileSync("gdalinfo", [path], { encoding: "utf8" });
  classes.forEach(({ label, name }) =>
    expect(words).toMatch(new RegExp(`^ +${label}: ${name}$`, "m")),
  );
  const rat = said.rat;
  const at = (name: string) => rat.fieldDefn.findIndex((field) => field.name === name);
  const rows = map.rows.filter(({ zone }) => zone === null);
  for (const { f } of rat.row) {
    const row = rows.find(({ label }) => label === f[at("value")])!;
    expect(f[at("class")]).toBe(row.name);
    expect(f[at("cells")]).toBe(row.cells);
    expect(f[at("area_m2")]).toBeCloseTo(row.areaM2, 1);
    const channels = ["red", "green", "blue"].map((name) => Number(f[at(name)]));
    const hex = channels.map((one) => one.toString(16).padStart(2, "0")).join("");
    expect(`#${hex}`).toBe(row.color);
  }
  expect(rat.row).toHaveLength(classes.length);
});

test("the measure is a file of before, after and their difference, and the probability one of shares", async () => {
  const { path } = await taken("measure");
  const said = imageInfo(path, "-stats");
  expect(said.size).toEqual([map.info.grid.width, map.info.grid.height]);
  expect(said.bands.map(({ description }) => description)).toEqual(["before", "after", "measure"]);
  expect(said.bands.map(({ unit }) => unit)).toEqual(["dB", "dB", "dB"]);
  const [before, after, difference] = said.bands;
  expect(difference!.mean).toBeCloseTo(after!.mean! - before!.mean!, 2);
  expect(said.bands[0]!.noDataValue).toBe("NaN");
  const probability = imageInfo((await taken("probability")).path, "-stats");
  expect(probability.size).toEqual(said.size);
  expect(probability.bands[0]!.minimum).toBeGreaterThanOrEqual(0);
  expect(probability.bands[0]!.maximum).toBeLessThanOrEqual(1);
});

test("the workbook has real numbers, totals that recount, and inputs on its second sheet", async () => {
  const { path } = await taken("xlsx");
  const layers = execFileSync("ogrinfo", ["-q", path], { encoding: "utf8" });
  expect([...layers.matchAll(/^\d+: (.+?)(?: \(None\))?$/gm)].map(([, name]) => name)).toEqual([
    ...["Areas", "Inputs", "Probable areas", "Patches"],
  ]);
  const sql = `SELECT zone, class, cells, km2, m2 FROM Areas`;
  const args = ["-f", "CSV", "/vsistdout/", path, "-sql", sql];
  const read = execFileSync("ogr2ogr", args, { encoding: "utf8" })
    .replaceAll('"', "")
    .trim()
    .split(/\r?\n/)
    .slice(1)
    .map((line) => line.split(","));
  for (const row of map.rows) {
    const [, , cells, km2, m2] = read.find(
      ([zone, name]) => zone === (row.zone ?? "All") && name === row.name,
    )!;
    expect(Number(cells)).toBe(row.cells);
    expect(Number(m2)).toBeCloseTo(row.areaM2, 3);
    expect(Number(km2)).toBeCloseTo(row.areaM2 / 1e6, 9);
  }
  const total = read.find(([zone, name]) => zone === "All" && name === "Total seen")!;
  const all = map.rows.filter(({ zone }) => zone === null);
  expect(Number(total[2])).toBe(all.reduce((sum, { cells }) => sum + cells, 0));
  const inputs = execFileSync("ogr2ogr", ["-f", "CSV", "/vsistdout/", path, "Inputs"], {
    encoding: "utf8",
  });
  expect(inputs).toContain(map.nodeHash);
  const within = execFileSync("unzip", ["-p", path, "xl/worksheets/sheet1.xml"], {
    encoding: "utf8",
  });
  // Rows 2 to 5 are the classes of the whole map.
  expect(within).toContain("<f>SUM(F2:F");
  expect(within).toContain("<f>F2/1000000</f>");
});

test("what is not there yet is refused in words, and what comes later makes a file old", async () => {
  const failed = async (format: FileFormat) => {
    const { body } = await testServer.call<{ runId: string }>(
      "POST",
      `/change-maps/${map.id}/files`,
      { format },
    );
    return (await testServer.ended(body.runId)).error?.message;
  };
  expect(await failed("depth")).toMatch(/depth of this map is not measured/);
  expect(await failed("sample")).toMatch(/No sample was drawn/);
  const design = { drawing: "simple", seed: 4, units: {}, count: 20 };
  const { body } = await testServer.call<{ runId: string }>(
    "POST",
    `/change-maps/${map.id}/samples`,
    { name: "Twenty", design, nearCells: 0 },
  );
  const drawn = await testServer.ended(body.runId);
  const sampleId = String(drawn.result!.sampleId);
  const look = { interpreter: "Ana", label: map.info.classes![0]!.label, note: "reeds" };
  await testServer.call("POST", `/samples/${sampleId}/looks`, { ...look, number: 3 });
  const { path } = await taken("sample");
  const counted = execFileSync("ogrinfo", ["-so", "-al", path], { encoding: "utf8" });
  expect(counted).toContain("Feature Count: 20");
  expect(JSON.parse(readFileSync(path, "utf8"))).toMatchObject({
    features: expect.arrayContaining([
      expect.objectContaining({
        properties: expect.objectContaining({
          ...{ number: 3, state: "known", reference: map.info.classes![0]!.name },
          looks: [{ by: "Ana", saw: map.info.classes![0]!.name, note: "reeds" }],
        }) as unknown,
      }),
    ]) as unknown,
  });
  await testServer.call("POST", `/samples/${sampleId}/looks`, { ...look, number: 4 });
  const now = await testServer.call<ChangeMap>("GET", `/change-maps/${map.id}`);
  expect(now.body.files.map(({ format }) => format)).not.toContain("sample");
  expect(now.body.files.map(({ format }) => format)).toContain("measure");
});
