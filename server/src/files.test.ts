import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { ChangeMap, FileFormat } from "@hindglance/contract/changeMaps";
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
}, 90_000);
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
  expect(counted[1]!.map((line) => line.split(",").slice(0, 2))).toEqual(
    counted[0]!.map((line) => line.split(",").slice(0, 2)),
  );
}, 60_000);

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
}, 60_000);

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
  expect(names).toHaveLength(6);
  for (const format of ["cog", "geojson", "kmz", "csv"] as const) {
    const alone = await taken(format);
    expect(names).toContain(`${alone.name}: OK`);
    expect(readFileSync(join(within, alone.name))).toEqual(readFileSync(alone.path));
  }
}, 60_000);

test("the same map gives the same bytes", async () => {
  for (const format of ["shapefile", "kmz"] as const) {
    const digests = [];
    for (let k = 0; k < 2; k++) {
      const { path } = await taken(format);
      digests.push(execFileSync("sha256sum", [path], { encoding: "utf8" }));
    }
    expect(digests[0]).toBe(digests[1]);
  }
}, 60_000);
