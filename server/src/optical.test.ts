import { encode } from "fast-png";
import type { Scene } from "./db/scenes";
import { granuleXml } from "@hindglance/formats/testing/buildGranule";
import { buildJp2 } from "@hindglance/formats/testing/buildJp2";
import { bytesOf, zipOf } from "@hindglance/formats/testing/buildSafe";
import { UTM27S_KEYS, buildTiff } from "@hindglance/formats/testing/buildTiff";
import type { TakenUpload, UploadDetail } from "@hindglance/contract/upload";
import { TestServer } from "./testing/harness";

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Optical", hazard: "fire" })
  ).body.id;
});
afterAll(() => testServer.stop());

/** What an upload of this test always has. */
type Upload = TakenUpload & { detail: UploadDetail };
type Made = { scene: Scene; runId: string };
const send = (name: string, body: Uint8Array, query = "") =>
  testServer.call<Upload>(
    "POST",
    `/studies/${study}/uploads?name=${encodeURIComponent(name)}${query}`,
    body,
  );
const make = async (uploadId: string, more: object) => {
  const r = await testServer.call<Made & { error: { message: string; field: string } }>(
    "POST",
    `/studies/${study}/scenes`,
    { uploadId, ...more },
  );
  if (r.status !== 202) {
    return { problem: r.body.error, scene: null as never };
  }
  expect((await testServer.ended(r.body.runId)).error).toBeNull();
  return {
    problem: null,
    scene: (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body.find(
      (scene) => scene.id === r.body.scene.id,
    )!,
  };
};
/** Cells of a scene as they are stored, band after band. */
async function cells(scene: Scene, row = 0, col = 0): Promise<Float32Array[]> {
  const out: Float32Array[] = [];
  const n = scene.info!.grid.width * scene.info!.grid.height;
  const rows = await testServer.query<{ band: number; cells: Buffer }>(
    `
      SELECT band, cells
      FROM image_block
      WHERE image_id = $1
        AND level = 0
        AND row = $2
        AND col = $3
      ORDER BY band
    `,
    [scene.imageId, row, col],
  );
  for (const r of rows) {
    const b = Uint8Array.from(r.cells);
    out.push(
      b.length === 4 * n
        ? new Float32Array(b.buffer)
        : Float32Array.from(new Uint16Array(b.buffer)),
    );
  }
  return out;
}

const width = 120;
const height = 80;
const ten = Uint16Array.from(
  { length: width * height },
  (_v, i) => 1500 + (i % width) * 3 + Math.floor(i / width),
);
const twenty = Uint16Array.from({ length: (width / 2) * (height / 2) }, (_v, i) => 4000 + i);
const scl = Uint16Array.from(
  { length: (width / 2) * (height / 2) },
  (_v, i) => [4, 6, 9, 3][i % 4]!,
);
let granule: Map<string, string | Uint8Array>;
beforeAll(async () => {
  const xml = granuleXml({
    level: "2A",
    name: "HEL_MSIL2A_TEST",
    time: "2025-02-27T13:24:41Z",
    mission: "HELIO-3",
    baseline: "05.11",
    quantity: 10_000,
    offset: -1000,
    epsg: 32727,
    ulx: 499500,
    uly: 5182000,
    width,
    height,
    sunZenithDeg: 40,
    sunAzimuthDeg: 55,
    bands: [
      { id: "B04", nm: 664.6 },
      { id: "B12", nm: 2202.4 },
    ],
  });
  const at = "x.SAFE/GRANULE/t/IMG_DATA";
  granule = new Map<string, string | Uint8Array>([
    ["x.SAFE/MTD_MSIL2A.xml", xml.product],
    ["x.SAFE/GRANULE/t/MTD_TL.xml", xml.tile],
    [
      `${at}/R10m/T_B04_10m.jp2`,
      await buildJp2({ width, height, bits: 16, tile: 64, cells: [ten] }),
    ],
    [
      `${at}/R20m/T_B12_20m.jp2`,
      await buildJp2({ width: width / 2, height: height / 2, bits: 16, tile: 64, cells: [twenty] }),
    ],
    [
      `${at}/R20m/T_SCL_20m.jp2`,
      await buildJp2({ width: width / 2, height: height / 2, bits: 8, tile: 64, cells: [scl] }),
    ],
  ]);
});

test("a zipped granule asks for its cells; the other bands are brought to them, and the classification becomes quality bits", async () => {
  const upload = (await send("g.zip", await zipOf(granule))).body;
  expect(upload.detail).toMatchObject({
    form: "stack",
    missing: ["cellSize"],
    groups: [
      { cellM: 10, bands: ["B04"] },
      { cellM: 20, bands: ["B12", "quality"] },
    ],
  });
  expect((await make(upload.id, { kind: "optical" })).problem).toMatchObject({ field: "cellM" });
  const { scene } = await make(upload.id, { kind: "optical", cellM: 10, bring: true });
  expect(scene.info).toMatchObject({
    optical: { level: 2 },
    grid: { width, height, transform: [499500, 10, 0, 5182000, 0, -10] },
  });
  expect(scene.info!.bands.map((band) => band.name)).toEqual(["B04", "B12", "quality"]);
  const [a, b, query] = await cells(scene);
  for (const [c, r] of [
    [0, 0],
    [1, 1],
    [117, 79],
    [64, 33],
  ] as const) {
    const k = (r >> 1) * (width / 2) + (c >> 1);
    expect([a![r * width + c], b![r * width + c], query![r * width + c]]).toEqual([
      ten[r * width + c],
      twenty[k],
      [64, 64 | 128, 8, 16][k % 4],
    ]);
  }
  expect(String(scene.detail.warnings)).toMatch(
    /Brought to cells of 10 m: B12 from 20 m, quality from 20 m/,
  );
  expect((await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM blob"))[0]!.n).toBe(
    0,
  );
});
test("the same as a folder, at 20 m: finer bands become means, without the band left out", async () => {
  const folder = "00000000-0000-4000-8000-00000000000a";
  for (const [path, body] of granule) {
    expect(
      (
        await send(
          path.split("/").pop()!,
          bytesOf(body),
          `&folder=${folder}&path=${encodeURIComponent(path)}`,
        )
      ).status,
    ).toBe(201);
  }
  const upload = (await testServer.call<Upload>("POST", `/studies/${study}/folders/${folder}`))
    .body;
  const { scene } = await make(upload.id, {
    kind: "optical",
    cellM: 20,
    bring: true,
    name: "Coarse",
  });
  const [a, b] = await cells(scene);
  for (const [c, r] of [
    [0, 0],
    [59, 39],
    [30, 11],
  ] as const) {
    const i = 2 * r * width + 2 * c;
    expect(a![r * 60 + c]).toBe(
      Math.round((ten[i]! + ten[i + 1]! + ten[i + width]! + ten[i + width + 1]!) / 4),
    );
    expect(b![r * 60 + c]).toBe(twenty[r * 60 + c]);
  }
});
test("surface reflectance goes through the chain by scale and offset; both grids come to one", async () => {
  const body = (
    await testServer.call<{
      rows: {
        name: string;
        cells: { step: string; state: string; text: string; error: unknown }[];
      }[];
      chain: Record<string, unknown>;
      exceptions: object;
    }>("GET", `/studies/${study}/prepare?family=optical`)
  ).body;
  const texts = Object.fromEntries(body.rows[0]!.cells.map((c) => [c.step, c.text]));
  expect(texts).toMatchObject({
    mask: "quality bits",
    reflectance: "scale, offset",
    surface: "skipped",
    mosaic: "skipped",
    grid: "120 x 80",
  });
  // Both scenes are of one day, but their cells differ: they are no frames of one mosaic.
  await testServer.call("PUT", `/studies/${study}/prepare?family=optical`, {
    chain: {
      ...body.chain,
      mask: { ...(body.chain.mask as object), growCells: 0, borderCells: 0 },
      mosaic: { ...(body.chain.mosaic as object), on: true },
      indices: {
        on: true,
        keep: false,
        outputs: [{ name: "Q", formula: "(swir2 - red) / (swir2 + red)" }],
      },
    },
    exceptions: {},
    heldOut: [],
  });
  const run = (
    await testServer.call<{ runId: string }>(
      "POST",
      `/studies/${study}/prepare/runs?family=optical`,
      {},
    )
  ).body.runId;
  expect((await testServer.ended(run)).state).toBe("done");
  const n = (
    await testServer.call<{ output: { hash: string } }>(
      "POST",
      `/studies/${study}/prepare/nodes?family=optical`,
      {
        sceneId: (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body.find(
          (scene) => scene.name !== "Coarse",
        )!.id,
        step: "indices",
      },
    )
  ).body;
  const tile = await testServer.call("GET", `/nodes/${n.output.hash}/tiles/0/0/0`);
  const query = new Float32Array(Uint8Array.from(tile.bytes).buffer);
  const at = 41 * width + 40;
  const k = 20 * 60 + 20;
  const red = (ten[at]! - 1000) / 1e4;
  const swir = (twenty[k]! - 1000) / 1e4;
  expect(query[at]).toBeCloseTo((swir - red) / (swir + red), 5);
  // The cell beside it is cloud by the classification.
  expect(query[at + 4]).toBeNaN();
  expect(
    (
      await testServer.call("PUT", `/studies/${study}/prepare?family=optical`, {
        chain: { ...body.chain, haze: { on: true, strength: 9 } },
        exceptions: {},
        heldOut: [],
      })
    ).status,
  ).toBe(422);
  expect((await testServer.call("GET", `/studies/${study}/prepare?family=sonar`)).status).toBe(422);
});
test("a composite in whole numbers asks what they stand for, and holds real values from then on", async () => {
  const upload = (
    await send(
      "X_EVI_A2024033.tif",
      buildTiff({
        width: 6,
        height: 5,
        bits: 16,
        format: 2,
        value: (c, r) => (c === 0 ? -3000 : 100 * c + 1000 * r),
        extra: [
          ...UTM27S_KEYS,
          [33550, 12, [250, 250, 0]],
          [33922, 12, [0, 0, 0, 500000, 5170000, 0]],
        ],
      }),
    )
  ).body;
  expect(upload.detail.missing).toEqual(["rescale"]);
  expect(
    (await make(upload.id, { kind: "other", rescale: { scale: 0, offset: 0, fill: null } }))
      .problem,
  ).toMatchObject({ field: "rescale" });
  const { scene } = await make(upload.id, {
    kind: "other",
    rescale: { scale: 0.0001, offset: 0, fill: -3000 },
  });
  const [values] = await cells(scene);
  expect(
    [values![0], values![1], values![6 * 4 + 5]].map((x) =>
      Number.isNaN(x) ? null : +x!.toFixed(6),
    ),
  ).toEqual([null, 0.01, 0.45]);
  expect(scene.info!.bands[0]!.name).toBe("EVI");
});
test("a series of composites gets its statistic over time, with the dates of a span alone; a stranger has no series", async () => {
  const composite = async (day: string, add: number) =>
    (
      await make(
        (
          await send(
            `X_EVI_A2024${day}.tif`,
            buildTiff({
              width: 6,
              height: 5,
              bits: 16,
              format: 2,
              value: (c, r) =>
                c === 0 || (c === 2 && add === 300) ? -3000 : 100 * c + 1000 * r + add,
              extra: [
                ...UTM27S_KEYS,
                [33550, 12, [250, 250, 0]],
                [33922, 12, [0, 0, 0, 500000, 5170000, 0]],
              ],
            }),
          )
        ).body.id,
        { kind: "other", rescale: { scale: 0.0001, offset: 0, fill: -3000 } },
      )
    ).scene;
  const scene = await composite("049", 300);
  await composite("065", 800);
  await composite("300", 5000);
  const ask = (more: object) =>
    testServer.call<Made & { error: { message: string; field: string } }>(
      "POST",
      `/studies/${study}/scenes/over-time`,
      { like: scene.id, statistic: "max", from: "2024-01-01", to: "2024-04-30", ...more },
    );
  const r = await ask({});
  expect(r.status).toBe(202);
  expect((await testServer.ended(r.body.runId)).error).toBeNull();
  const made = (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body.find(
    (x) => x.id === r.body.scene.id,
  )!;
  const [values] = await cells(made);
  // The composite of 2 February (added 0) is in the series too; that of October lies outside of the
  // span.
  expect([made.kind, made.info!.bands[0]!.name, made.name]).toEqual([
    "other",
    "EVI max",
    "Maximum of 3 dates, 2024-02-02 to 2024-03-05",
  ]);
  expect(
    [values![0], values![1], values![2], values![6 * 4 + 5]].map((x) =>
      Number.isNaN(x) ? null : +x!.toFixed(6),
    ),
  ).toEqual([null, 0.09, 0.1, 0.53]);
  const alone = (await ask({ from: "2024-03-01" })).body.error;
  expect(alone.field).toBe("from");
  expect(alone.message).toMatch(/Only one date lies/);
  expect(
    (
      await ask({
        like: (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body.find(
          (x) => x.name === "Coarse",
        )!.id,
      })
    ).body.error.message,
  ).toMatch(/No date lies/);
  expect((await ask({ from: "2024-02-30" })).status).toBe(422);
});
test("a picture without position is a scene in a frame of its own; with a world file it lies on the map", async () => {
  const png = encode({
    width: 7,
    height: 5,
    channels: 1,
    data: Uint8Array.from({ length: 35 }, (_v, i) => i),
  });
  const upload = (await send("sheet.png", png)).body;
  expect(upload.detail.missing).toEqual(["kind", "acquiredAt", "position"]);
  expect(upload.detail.noPosition).toBe("A picture does not say where on the ground it lies");
  expect((await make(upload.id, { kind: "elevation" })).problem!.message).toMatch(
    /does not say where on the ground it lies/,
  );
  const { scene } = await make(upload.id, { kind: "other", acquiredAt: "1962-01-01T00:00:00Z" });
  expect([
    scene.info!.grid.crs.code.slice(0, 8),
    (scene as unknown as { footprint: unknown }).footprint,
  ]).toEqual(["PICTURE:", null]);
  const side = (
    await testServer.call<{ sceneId: string; problem: string }[]>(
      "GET",
      `/studies/${study}/compare/sides`,
    )
  ).body.find((x) => x.sceneId === scene.id)!;
  expect(side.problem).toBe("has no position yet");
  const folder = "00000000-0000-4000-8000-00000000000b";
  const world = "10\n0\n0\n-10\n500005\n5169995\n";
  for (const [name, body] of [
    ["map.png", png],
    ["map.pgw", Buffer.from(world)],
  ] as const) {
    await send(name, body, `&folder=${folder}&path=${name}`);
  }
  const placed = (
    await testServer.call<Upload & { name: string }>("POST", `/studies/${study}/folders/${folder}`)
  ).body;
  expect([placed.name, placed.detail.missing]).toEqual(["map.png", ["kind", "acquiredAt", "crs"]]);
  const taken = await make(placed.id, {
    kind: "other",
    acquiredAt: "1962-01-01T00:00:00Z",
    epsg: 32727,
  });
  expect(taken.scene.info!.grid).toMatchObject({
    crs: { code: "EPSG:32727" },
    transform: [500000, 10, 0, 5170000, 0, -10],
    width: 7,
  });
  expect((await send("broken.png", png.slice(0, 50))).status).toBe(422);
  expect(
    (
      await send(
        "broken.jp2",
        bytesOf(granule.get("x.SAFE/GRANULE/t/IMG_DATA/R10m/T_B04_10m.jp2")!).subarray(0, 900),
      )
    ).body,
  ).toMatchObject({ error: { message: expect.stringMatching(/cut off/) } });
});
