import { execFileSync } from "node:child_process";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { ImageFile, ImageFileAsk } from "@hindglance/contract/imageFiles";
import { FLOOD_SIZE, FloodedStudy } from "./testing/flooded";
import { TestServer } from "./testing/harness";

// A date is taken away in several systems; the tools of another hand read it and put it there too.
let testServer: TestServer;
let study: FloodedStudy;
let folder: string;

beforeAll(async () => {
  testServer = await TestServer.start();
  study = await FloodedStudy.make(testServer, "Images");
  folder = mkdtempSync(join(tmpdir(), "images-"));
});
afterAll(async () => {
  await testServer.stop();
  rmSync(folder, { recursive: true });
});

const ask = (more: Partial<ImageFileAsk> = {}): ImageFileAsk => ({
  sceneId: study.dates.afterId,
  ...{ of: "stored", epsg: null, cellSize: null, asDecibel: false },
  ...more,
});
const asked = (body: object) =>
  testServer.call<{ runId: string; fileName: string; grid: string; error?: { message: string } }>(
    "POST",
    `/studies/${study.id}/image-files`,
    body,
  );

async function taken(body: ImageFileAsk): Promise<{ path: string; grid: string }> {
  const { body: answer } = await asked(body);
  const { result, error } = await testServer.ended(answer.runId);
  expect(error).toBeNull();
  const { bytes } = await testServer.call("GET", `/files/${String(result!.blobId)}`);
  const path = join(folder, answer.fileName);
  writeFileSync(path, bytes);
  return { path, grid: answer.grid };
}

const valueAt = (path: string, col: number, row: number): number =>
  Number(
    execFileSync("gdallocationinfo", ["-valonly", path, String(col), String(row)], {
      encoding: "utf8",
    }),
  );

test("on its own grid it is the image itself, in decibels where that is asked for", async () => {
  const { width, height } = FLOOD_SIZE;
  const plain = await taken(ask());
  expect(plain.grid).toBe(`EPSG:32727, 20 m, ${width} x ${height} cells`);
  const decibel = await taken(ask({ of: "compared", asDecibel: true }));
  for (const [col, row] of [
    [40, 25],
    [130, 40],
    [width - 40, height - 31],
  ] as const) {
    const power = valueAt(plain.path, col, row);
    expect(power).toBeGreaterThan(0);
    expect(valueAt(decibel.path, col, row)).toBeCloseTo(10 * Math.log10(power), 3);
  }
});

test("in another system and cell size it is what others make of it", async () => {
  const plain = await taken(ask());
  const { path, grid } = await taken(ask({ epsg: 4326, cellSize: 0.0001 }));
  expect(grid).toMatch(/^EPSG:4326, 0\.0001 °, \d+ x \d+ cells$/);
  const [width, height] = [...grid.matchAll(/(\d+) x (\d+)/g)][0]!.slice(1).map(Number);
  const info = execFileSync("gdalinfo", [path], { encoding: "utf8" });
  const ends = (name: string) => {
    const found = new RegExp(`${name} +\\( *([-\\d.]+), *([-\\d.]+)\\)`).exec(info)!;
    return [found[1]!, found[2]!];
  };
  const [west, north] = ends("Upper Left");
  const [east, south] = ends("Lower Right");
  const other = join(folder, "other.tif");
  execFileSync("gdalwarp", [
    ...["-q", "-t_srs", "EPSG:4326", "-r", "bilinear", "-et", "0", "-te"],
    ...[west!, south!, east!, north!, "-ts", String(width), String(height), plain.path, other],
  ]);
  for (const [x, y] of [
    [0.3, 0.3],
    [0.5, 0.5],
    [0.72, 0.4],
    [0.4, 0.81],
  ] as const) {
    const [col, row] = [Math.floor(x * width!), Math.floor(y * height!)];
    const value = valueAt(path, col, row);
    // They weigh by positions of a cell, we by 2^-24 of one.
    expect(value / valueAt(other, col, row)).toBeCloseTo(1, 3);
  }
  // Beyond the image there is nothing.
  expect(valueAt(path, 0, 0)).toBeNaN();
});

test("what cannot be had is refused in words that name the field", async () => {
  const refused = async (more: object) => {
    const { status, body } = await asked({ ...ask(), ...more });
    return [status, body.error?.message];
  };
  expect(await refused({ epsg: 999_999 })).toEqual([422, expect.stringMatching(/999999/)]);
  expect(await refused({ cellSize: 0 })).toEqual([422, expect.stringMatching(/greater than 0/)]);
  expect(await refused({ cellSize: 0.001 })).toEqual([
    422,
    expect.stringMatching(/more than a file/),
  ]);
  expect(await refused({ sceneId: study.id })).toEqual([
    404,
    expect.stringMatching(/no such scene/),
  ]);
  expect(await refused({ of: "all" })).toEqual([422, expect.stringMatching(/of/)]);
});

test("files are listed with their grid, deleted one by one, and go with their scene", async () => {
  const path = `/studies/${study.id}/image-files`;
  const listed = async () => (await testServer.call<ImageFile[]>("GET", path)).body;
  const before = await listed();
  expect(before.length).toBeGreaterThan(2);
  expect(before[0]).toMatchObject({
    ...{ sceneId: study.dates.afterId, grid: expect.stringMatching(/^EPSG:4326/) as unknown },
  });
  await testServer.call("DELETE", `/image-files/${before[0]!.id}`);
  expect(await listed()).toEqual(before.slice(1));
  expect((await testServer.call("DELETE", `/image-files/${before[0]!.id}`)).status).toBe(404);
  await testServer.call("DELETE", `/scenes/${study.dates.afterId}`);
  expect(await listed()).toEqual([]);
  expect((await testServer.call("GET", `/files/${before[1]!.id}`)).status).toBe(404);
});
