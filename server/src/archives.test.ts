import { gzipSync } from "node:zlib";
import type { TakenUpload } from "@hindglance/contract/upload";
import { zipOf } from "@hindglance/formats/testing/buildSafe";
import { tarOf } from "@hindglance/formats/testing/buildTar";
import { at, UTM27S_KEYS, buildTiff } from "@hindglance/formats/testing/buildTiff";
import type { Scene } from "./db/scenes";
import { TestServer } from "./testing/harness";

let testServer: TestServer;
beforeAll(async () => {
  testServer = await TestServer.start();
});
afterAll(() => testServer.stop());

const METADATA = `GROUP = LANDSAT_METADATA_FILE
  LANDSAT_PRODUCT_ID = "X_L1"
  PROCESSING_LEVEL = "L1TP"
  FILE_NAME_BAND_4 = "X_B4.TIF"
  FILE_NAME_BAND_5 = "X_B5.TIF"
  FILE_NAME_ANGLE_SOLAR_AZIMUTH_BAND_4 = "X_SAA.TIF"
  FILE_NAME_QUALITY_L1_PIXEL = "X_QA_PIXEL.TIF"
  SPACECRAFT_ID = "S"
  SENSOR_ID = "OLI_TIRS"
  DATE_ACQUIRED = 2025-01-22
  SCENE_CENTER_TIME = "13:12:31.5029770Z"
  SUN_ELEVATION = 56.1
  REFLECTANCE_MULT_BAND_4 = 2.0000E-05
  REFLECTANCE_MULT_BAND_5 = 2.0000E-05
  REFLECTANCE_ADD_BAND_4 = -0.1
  REFLECTANCE_ADD_BAND_5 = -0.1
END_GROUP = LANDSAT_METADATA_FILE
END`;

const WIDTH = 40;
const HEIGHT = 30;
const bandOf = (first: number) =>
  buildTiff({
    ...{ width: WIDTH, height: HEIGHT, bits: 16, format: 1, compression: 8, rowsPerStrip: 7 },
    value: (c, r) => first + c + 10 * r,
    extra: [...UTM27S_KEYS, ...at(500_000, 5_170_000, 30)],
  });
/** Bands in another order than that of their wavelengths, and what lies beside them. */
const FILES = new Map<string, string | Uint8Array>([
  ["x/X_B5.TIF", bandOf(2000)],
  ["x/X_SAA.TIF", bandOf(9000)],
  ["x/X_B4.TIF", bandOf(1000)],
  ["x/X_QA_PIXEL.TIF", bandOf(64)],
  ["x/X_ANG.txt", "angles"],
  ["x/X_MTL.txt", METADATA],
  ["x/X_MTL.json", "{}"],
]);

test.each<[string, () => Promise<Uint8Array>]>([
  ["X.zip", () => zipOf(FILES)],
  ["X.tar", () => tarOf(FILES)],
  ["X.tar.gz", async () => gzipSync(await tarOf(FILES))],
])("band files in %s with their metadata text become one scene", async (name, build) => {
  const study = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name, hazard: "fire" },
  });
  const scenes = `/studies/${study.body.id}/scenes`;
  const sent = await testServer.call<TakenUpload>(
    "POST",
    `/studies/${study.body.id}/uploads?name=${name}`,
    await build(),
  );
  expect(sent.body.detail).toMatchObject({ form: "stack", product: "X_L1", missing: [] });
  const begun = await testServer.call<{ scene: Scene; runId: string }>("POST", scenes, {
    ...{ uploadId: sent.body.id, kind: "optical" },
  });
  expect((await testServer.ended(begun.body.runId)).error).toBeNull();
  const [scene] = (await testServer.call<Scene[]>("GET", scenes)).body;
  expect(scene!.info!.bands.map((band) => band.name)).toEqual(["B4", "B5", "quality"]);
  const blocks = await testServer.query<{ cells: Buffer }>(
    "SELECT cells FROM image_block WHERE image_id = $1 AND level = 0 ORDER BY band",
    [scene!.imageId],
  );
  const firsts = blocks.map(({ cells }) => new Uint16Array(Uint8Array.from(cells).buffer));
  expect(firsts.map((cells) => [cells[0], cells[WIDTH + 1]])).toEqual([
    [1000, 1011],
    [2000, 2011],
    [64, 75],
  ]);
  expect(await testServer.query("SELECT id FROM blob")).toEqual([]);
});

test("an archive of what is no product, and one that is none at all, are refused in words", async () => {
  const study = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Others", hazard: "fire" },
  });
  const refusedAs = async (name: string, bytes: Uint8Array) =>
    (await testServer.upload(study.body.id, name, bytes)).body.error!.message;
  const files = new Map([["notes.txt", "only notes"]]);
  expect(await refusedAs("notes.tar.gz", gzipSync(await tarOf(files)))).toMatch(
    /no manifest\.safe/,
  );
  expect(await refusedAs("fake.tgz", Buffer.from("nothing of the kind"))).toMatch(
    /fake\.tgz: This is not a tar archive/,
  );
  expect(await refusedAs("one.tif.gz", gzipSync(bandOf(1)))).toMatch(/no tar archive/);
});
