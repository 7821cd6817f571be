import { setTimeout as wait } from "node:timers/promises";
import type { Scene } from "@hindglance/contract/scenes";
import type { ArrivingFile } from "@hindglance/contract/upload";
import { safeFiles, zipOf } from "@hindglance/formats/testing/buildSafe";
import { buildTiff } from "@hindglance/formats/testing/buildTiff";
import { TestServer } from "./testing/harness";
import { announce, digestHeader, piece } from "./testing/sending";

// Files that looked whole when they came, and cannot be imported: what a person sees of them.

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 1 });
});
beforeEach(async () => {
  const named = { name: "Failing", hazard: "flood" };
  study = (await testServer.call<{ id: string }>("POST", "/studies", named)).body.id;
});
afterEach(async () => {
  await testServer.call("DELETE", `/studies/${study}`);
});
afterAll(() => testServer.stop());

/** Sends a file as a page does. */
async function send(bytes: Uint8Array, said: Record<string, string>): Promise<void> {
  const { at } = await announce(testServer, bytes.length, { study, ...said });
  const { status } = await piece(testServer, at, 0, bytes, digestHeader(bytes));
  expect(status).toBe(200);
}

const FOLDER = "0a000000-0000-4000-8000-00000000f01d";

/** Sends the files of a folder as a page does. */
async function sendFolder(name: string, files: Map<string, string | Uint8Array>): Promise<void> {
  const whole = [...files].map(([path, body]) => ({ path, bytes: Buffer.from(body) }));
  const bytes = whole.reduce((sum, file) => sum + file.bytes.length, 0);
  for (const file of whole) {
    await send(file.bytes, {
      ...{ filename: file.path, path: file.path, folder: FOLDER, foldername: name },
      ...{ files: String(whole.length), bytes: String(bytes) },
    });
  }
}

const list = async <T>(what: string): Promise<T[]> =>
  (await testServer.call<T[]>("GET", `/studies/${study}/${what}`)).body;
const arriving = () => list<ArrivingFile>("arriving");
const act = (id: string, how: "again" | "forget") =>
  testServer.call(
    how === "again" ? "POST" : "DELETE",
    `/studies/${study}/arriving/${id}${how === "again" ? "/again" : ""}`,
  );
const stored = async () =>
  (await testServer.query<{ name: string }>("SELECT name FROM blob ORDER BY name")).map(
    ({ name }) => name,
  );

/** What is there once every run has ended. */
async function settled(): Promise<ArrivingFile[]> {
  for (;;) {
    const open = await testServer.query("SELECT id FROM run WHERE state = 'running'");
    if (open.length === 0) {
      return arriving();
    }
    await wait(50);
  }
}

/** The bytes with one bit flipped behind a text. */
function flipped(bytes: Uint8Array, behind: string, by: number): Uint8Array {
  const out = Buffer.from(bytes);
  const place = out.indexOf(behind) + behind.length + by;
  out[place] = out[place]! ^ 0x10;
  return out;
}

test("an archive with a flipped byte in its cells stays, is tried again, and goes on wish", async () => {
  const files = safeFiles();
  const whole = await zipOf(files, { isStored: true });
  await send(flipped(whole, "ln1-iw-grd-vv-001.tiff", 20), { filename: "flipped.zip" });
  const [refused, ...more] = await settled();
  expect(more).toEqual([]);
  expect(refused).toMatchObject({ name: "flipped.zip", state: "refused", folder: false });
  const { code, message, hint } = refused!.refused!;
  expect(code).toBe("damaged");
  expect(message).toMatch(/^flipped\.zip: .*ln1-iw-grd-vv-001\.tiff .*CRC-32/);
  expect(hint).toMatch(/again/);
  expect(await list("scenes")).toEqual([]);
  expect((await act(refused!.id, "again")).status).toBe(204);
  expect((await settled()).map((thing) => thing.refused)).toEqual([refused!.refused]);
  expect((await act(refused!.id, "forget")).status).toBe(204);
  expect(await stored()).toEqual([]);
});

test("a product of one folder stays as one thing, whole enough to be tried again", async () => {
  const files = safeFiles();
  await sendFolder("LN1_IW_GRDH_TEST.SAFE", files);
  const [refused, ...more] = await settled();
  expect(more).toEqual([]);
  expect(refused).toMatchObject({ id: FOLDER, folder: true, state: "refused", files: files.size });
  expect(refused!.parts.map(({ path }) => path).sort()).toEqual([...files.keys()].sort());
  expect(refused!.refused!.message).toMatch(/^LN1_IW_GRDH_TEST\.SAFE: /);
  expect((await act(FOLDER, "again")).status).toBe(204);
  expect((await settled())[0]!.refused).toEqual(refused!.refused);
  expect((await act(FOLDER, "forget")).status).toBe(204);
  expect(await stored()).toEqual([]);
});

/** A map of one polarisation, cut into strips. */
const mapTiff = (first = 1) =>
  buildTiff({
    ...{ width: 40, height: 30, compression: 8, rowsPerStrip: 10 },
    value: (c, r) => first + c + r,
  });
const WORLD = "10\n0\n0\n-10\n500000\n4600000\n";
const PRJ = `PROJCS["UTM 27S",GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563]],PRIMEM["Greenwich",0],UNIT["degree",0.0174532925199433],AUTHORITY["EPSG","4326"]],PROJECTION["Transverse_Mercator"],PARAMETER["latitude_of_origin",0],PARAMETER["central_meridian",-21],PARAMETER["scale_factor",0.9996],PARAMETER["false_easting",500000],PARAMETER["false_northing",10000000],UNIT["metre",1],AUTHORITY["EPSG","32727"]]`;

test("an image with texts beside it stays with them, and comes in once it is whole", async () => {
  const good = mapTiff();
  const bad = Buffer.from(good);
  // Strips lie behind the directory.
  bad.fill(0xee, bad.length - 60);
  await sendFolder(
    "map",
    new Map<string, string | Uint8Array>([
      ["map_20250502_VV.tif", bad],
      ["map_20250502_VV.tfw", WORLD],
      ["map_20250502_VV.prj", PRJ],
    ]),
  );
  const [refused, ...more] = await settled();
  expect(more).toEqual([]);
  expect(refused).toMatchObject({ id: FOLDER, state: "refused", files: 3 });
  expect(refused!.parts).toHaveLength(3);
  expect(refused!.refused!.message).toMatch(/map_20250502_VV\.tif/);
  // The bytes as they were before they were spoiled.
  await testServer.query(
    `UPDATE blob_chunk SET bytes = $1
     WHERE blob_id = (SELECT id FROM blob WHERE name LIKE '%.tif')`,
    [good],
  );
  // A process remembers what it read of a file.
  await testServer.kill();
  await testServer.restart({ workers: 1 });
  await act(FOLDER, "again");
  expect(await settled()).toEqual([]);
  const scenes = await list<Pick<Scene, "fileName" | "imageId">>("scenes");
  expect(scenes.map(({ fileName, imageId }) => [fileName, imageId !== null])).toEqual([
    ["map_20250502_VV.tif", true],
  ]);
  expect(await stored()).toEqual([]);
});

test("files that wait for an answer together go together, and none of them is on its way", async () => {
  const tiff = buildTiff({ width: 40, height: 30, value: (c, r) => c + r });
  const files = new Map<string, string | Uint8Array>([
    ["plain.tif", tiff],
    ["plain.tfw", WORLD],
    ["plain.prj", PRJ],
  ]);
  await sendFolder("plain.tif", files);
  expect(await arriving()).toEqual([]);
  const [waiting, ...more] = await list<{ id: string; name: string }>("uploads");
  expect([waiting!.name, more]).toEqual(["plain.tif", []]);
  expect(await stored()).toEqual(["plain.prj", "plain.tfw", "plain.tif"]);
  await testServer.call("DELETE", `/uploads/${waiting!.id}`);
  expect(await stored()).toEqual([]);
});
