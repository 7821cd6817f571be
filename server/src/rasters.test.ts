import { at, UTM27S_KEYS, buildTiff } from "@hindglance/formats/testing/buildTiff";
import type { TakenUpload } from "@hindglance/contract/upload";
import type { Scene } from "./db/scenes";
import { sceneRecord } from "./products/provenance";
import { TestServer } from "./testing/harness";

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
  const made = await testServer.call<{ id: string }>("POST", "/studies", {
    name: "Rasters",
    hazard: "flood",
  });
  study = made.body.id;
});
afterAll(() => testServer.stop());

const WIDTH = 12;
const HEIGHT = 9;
const PLACE = [...UTM27S_KEYS, ...at(490_000, 5_175_000, 20)];
const valueAt = (c: number, r: number) => 0.125 * c + r;

/** Sends files as a folder, and what was found in them together. */
async function sendTogether(files: Record<string, Uint8Array>): Promise<TakenUpload> {
  const folder = crypto.randomUUID();
  for (const [path, bytes] of Object.entries(files)) {
    const query = `name=${path}&folder=${folder}&path=${path}`;
    await testServer.call("POST", `/studies/${study}/uploads?${query}`, bytes);
  }
  const found = await testServer.call<TakenUpload>("POST", `/studies/${study}/folders/${folder}`);
  expect(found.status).toBe(201);
  return found.body;
}

const ask = (uploadId: string, said: object) =>
  testServer.call<{ scene: Scene; runId: string; error: { message: string; field: string } }>(
    "POST",
    `/studies/${study}/scenes`,
    { uploadId, ...said },
  );

/** A scene of an upload, once its cells are there. */
async function made(uploadId: string, said: object): Promise<Scene> {
  const begun = await ask(uploadId, said);
  expect(begun.status).toBe(202);
  expect((await testServer.ended(begun.body.runId)).error).toBeNull();
  const scenes = await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`);
  return scenes.body.find(({ id }) => id === begun.body.scene.id)!;
}

/** Cells of the first band, as they are stored. */
async function cellsOf({ imageId }: Scene): Promise<Float32Array> {
  const [block] = await testServer.query<{ cells: Buffer }>(
    "SELECT cells FROM image_block WHERE image_id = $1 AND level = 0 AND band = 0",
    [imageId],
  );
  return new Float32Array(Uint8Array.from(block!.cells).buffer);
}

const filesLeft = async (): Promise<number> =>
  (await testServer.query<{ count: number }>("SELECT count(*)::int AS count FROM blob"))[0]!.count;

test("a mask beside an image clears its cells, is named with its checksum, and is gone afterwards", async () => {
  const isThere = (c: number, r: number) => (c + r) % 4 !== 0;
  const image = { width: WIDTH, height: HEIGHT, value: valueAt, extra: PLACE };
  const mask = { width: WIDTH, height: HEIGHT, format: 1 as const, bits: 8 };
  const upload = await sendTogether({
    "low_20250502_VV.tif": buildTiff(image),
    "low_20250502_VV.tif.msk": buildTiff({ ...mask, value: (c, r) => (isThere(c, r) ? 255 : 0) }),
  });
  expect(await filesLeft()).toBe(2);
  const scene = await made(upload.id, { kind: "radar" });
  const cells = await cellsOf(scene);
  cells.forEach((value, k) => {
    const [c, r] = [k % WIDTH, Math.floor(k / WIDTH)];
    expect(value).toBe(isThere(c, r) ? valueAt(c, r) : NaN);
  });
  expect(scene.detail.parts!.map(({ name, sha256 }) => `${name} ${sha256.length}`)).toEqual([
    "low_20250502_VV.tif 64",
    "low_20250502_VV.tif.msk 64",
  ]);
  expect(await filesLeft()).toBe(0);
});

test("what a description says of the numbers counts in the cells, and it is named with its checksum", async () => {
  const bytes = buildTiff({ width: WIDTH, height: HEIGHT, value: (_c, r) => r, extra: PLACE });
  const upload = await sendTogether({
    "scaled_20250502_VV.tif": bytes,
    "scaled_20250502_VV.tif.aux.xml": Buffer.from(
      '<PAMDataset><PAMRasterBand band="1"><NoDataValue>3</NoDataValue><Offset>10</Offset><Scale>0.5</Scale></PAMRasterBand></PAMDataset>',
    ),
  });
  const scene = await made(upload.id, { kind: "radar" });
  const cells = await cellsOf(scene);
  cells.forEach((value, k) => {
    const row = Math.floor(k / WIDTH);
    expect(value).toBe(row === 3 ? NaN : 10 + row / 2);
  });
  expect(scene.detail.parts!.map(({ name, sha256 }) => `${name} ${sha256.length}`)).toEqual([
    "scaled_20250502_VV.tif 64",
    "scaled_20250502_VV.tif.aux.xml 64",
  ]);
});

test("what was said at the import stands in the scene, the ledger and the provenance", async () => {
  const bytes = buildTiff({ width: WIDTH, height: HEIGHT, value: (_c, r) => r + 1, extra: PLACE });
  const { body } = await testServer.upload(study, "unnamed.tif", bytes);
  const said = {
    kind: "radar",
    acquiredAt: "2025-05-03T06:12:00Z",
    bands: [{ polarisation: "VH", unit: "power" }],
  };
  const scene = await made(body.id, said);
  const answers = {
    kind: "radar",
    acquiredAt: "2025-05-03T06:12:00Z",
    polarisations: ["VH"],
    units: ["power"],
  };
  expect(scene.detail.answers).toEqual(answers);
  expect(sceneRecord(scene).answers).toEqual(answers);
  const ledger = await testServer.call<{ detail: { scene?: string; answers?: object } }[]>(
    "GET",
    `/studies/${study}/ledger`,
  );
  expect(ledger.body.find(({ detail }) => detail.scene === scene.id)!.detail.answers).toEqual(
    answers,
  );
});

test("a file that says everything has no answers", async () => {
  const bytes = buildTiff({ width: WIDTH, height: HEIGHT, value: (c) => c + 1, extra: PLACE });
  const { body } = await testServer.upload(study, "even_20250507_VV.tif", bytes);
  const scene = await made(body.id, {
    kind: "radar",
    acquiredAt: "2025-05-07T00:00:00Z",
    bands: [{ polarisation: "VV", unit: "power" }],
  });
  expect(scene.detail.answers).toBeUndefined();
});

test("numbers are rounded only when that was said, and the scene says so", async () => {
  const bytes = buildTiff({
    ...{ width: WIDTH, height: HEIGHT, bits: 64, extra: PLACE },
    value: (c, r) => (c + 1) / 3 + r,
  });
  const { body } = await testServer.upload(study, "fine_20250504_VV.tif", bytes);
  const refused = await ask(body.id, { kind: "radar" });
  expect(refused.status).toBe(422);
  expect(refused.body.error).toMatchObject({
    field: "rounded",
    message:
      "fine_20250504_VV.tif holds numbers that would be rounded: 0.3333333333333333 would become 0.3333333432674408",
  });
  const scene = await made(body.id, { kind: "radar", rounded: true });
  expect(scene.detail.answers).toEqual({ rounded: { value: 1 / 3, becomes: Math.fround(1 / 3) } });
  expect((await cellsOf(scene))[0]).toBe(Math.fround(1 / 3));
});

test("radar with control points of its own is kept as a picture whose places Align can take", async () => {
  const ties = [0, 12].flatMap((col) =>
    [0, 9].flatMap((row) => [col, row, 0, 490_000 + 20 * col, 5_175_000 - 20 * row, 0]),
  );
  const bytes = buildTiff({
    ...{ width: WIDTH, height: HEIGHT, value: (c, r) => 1 + c + r },
    extra: [...UTM27S_KEYS, [33922, 12, ties]],
  });
  const { body } = await testServer.upload(study, "slant_20250505_VV.tif", bytes);
  expect(body.detail.missing).toEqual(["position"]);
  const scene = await made(body.id, { kind: "radar" });
  expect(scene.info!.grid.crs.code).toMatch(/^PICTURE:/);
  const points = scene.detail.groundPoints!;
  expect(points.map(({ from }) => from)).toEqual([
    [0, 0],
    [0, 9],
    [12, 0],
    [12, 9],
  ]);
  // Ten kilometres west of the middle of the zone.
  expect(points[0]!.to[0]).toBeCloseTo(-21.124, 2);

  const reference = await testServer.importScene(
    study,
    "map_20250506_VV.tif",
    buildTiff({ width: WIDTH, height: HEIGHT, value: (c, r) => 2 + c + r, extra: PLACE }),
  );
  await testServer.ended(reference.runId);
  const place = {
    kind: "points",
    referenceId: reference.id,
    model: "polynomial1",
    smoothing: 0,
    kernel: "nearest",
    points: points.map(({ from }, k) => ({
      ...{ id: `p${k}`, name: `F${k + 1}`, from, on: true },
      to: [490_000 + 20 * from[0], 5_175_000 - 20 * from[1]],
    })),
  };
  const laid = await testServer.call("PUT", `/studies/${study}/align/${scene.id}`, { place });
  expect(laid.status).toBeLessThan(300);
  const rows = await testServer.call<
    {
      sceneId: string;
      problem: string | null;
      aligned: { info: { grid: { crs: { code: string }; transform: number[] } } } | null;
    }[]
  >("GET", `/studies/${study}/align`);
  const row = rows.body.find(({ sceneId }) => sceneId === scene.id)!;
  expect(row.problem).toBeNull();
  expect(row.aligned!.info.grid).toMatchObject({
    crs: { code: "EPSG:32727" },
    transform: [490_000, 20, 0, 5_175_000, 0, -20],
  });
});
