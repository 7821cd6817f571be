import type { ArrivingFile } from "@hindglance/contract/upload";
import { fromArrayBuffer } from "geotiff";
import { LONLAT, transformer, utm } from "@hindglance/core/geodesy/crs";
import { cellAreas } from "@hindglance/core/grid/area";
import { northUp } from "@hindglance/core/grid/grid";
import { buildTiff, UTM27S_KEYS, at } from "@hindglance/formats/testing/buildTiff";
import { TestServer, bodyIn } from "./testing/harness";
import { SETUP, X0, Y0, elevationTiff, radarTiff } from "./testing/pairs";

/** The tag that holds metadata as text. */
const GDAL_METADATA = 42112;

const width = 700;
const height = 560;
let testServer: TestServer;
beforeAll(async () => {
  testServer = await TestServer.start();
});
afterAll(async () => {
  await testServer.stop();
});

const newStudy = async (more: object = {}) =>
  (
    await testServer.call<{ id: string }>("POST", "/studies", {
      name: "Test",
      hazard: "flood",
      eventAt: "2025-05-12T00:00:00Z",
      ...more,
    })
  ).body.id;
const ring = (cells: [number, number][]) => {
  const pointTransform = transformer(utm(27, true), LONLAT);
  return cells.map(([c, r]) => pointTransform(X0 + c * 20, Y0 - r * 20));
};
const empty = async () =>
  (
    await testServer.query<{ images: number; blobs: number; blocks: number; chunks: number }>(
      `
        SELECT
          (
            SELECT count(*)
            FROM image
          )::int AS images,
          (
            SELECT count(*)
            FROM blob
          )::int AS blobs,
          (
            SELECT count(*)
            FROM image_block
          )::int AS blocks,
          (
            SELECT count(*)
            FROM blob_chunk
          )::int AS chunks
      `,
    )
  )[0]!;

describe("whom the server answers", () => {
  test("health", async () => {
    expect((await testServer.call("GET", "/health")).body).toEqual({
      ok: true,
      name: "Hind Glance",
    });
  });
  test("another name or origin is turned away", async () => {
    const { request } = await import("node:http");
    const status = (headers: Record<string, string>) =>
      new Promise((ok) =>
        request(`${testServer.base}/api/studies`, { headers }, (incomingMessage) => {
          incomingMessage.resume();
          ok(incomingMessage.statusCode);
        }).end(),
      );
    expect(await status({ host: "evil.example" })).toBe(403);
    expect(await status({ origin: "http://evil.example" })).toBe(403);
    expect(await status({ "sec-fetch-site": "cross-site" })).toBe(403);
    expect(await status({ origin: testServer.base })).toBe(200);
  });
  test("pages are served for every stage, with a strict content policy", async () => {
    const response = await testServer.request(`/studies/x/compare`, {
      headers: { accept: "text/html" },
    });
    expect(await response.text()).toContain('<div id="root">');
    expect(response.headers.get("content-security-policy")).toContain("default-src 'self'");
  });
});

describe("studies", () => {
  test("two that change different things keep both; the same thing only with what stands there", async () => {
    const id = await newStudy();
    const path = `/studies/${id}`;
    const change = (body: object) =>
      testServer.call<{ name: string; hazard: string; error: { code: string; field: string } }>(
        "PATCH",
        path,
        body,
      );
    const { body: seen } = await testServer.call<{ name: string; hazard: string }>("GET", path);
    const { name, hazard } = seen;
    expect((await change({ name: "One", was: { name } })).status).toBe(200);
    expect((await change({ hazard: "fire", was: { hazard } })).body).toMatchObject({
      name: "One",
      hazard: "fire",
    });
    const late = await change({ name: "Two", was: { name } });
    expect(late.status).toBe(409);
    expect(late.body.error).toMatchObject({ code: "changedElsewhere", field: "name" });
    // The same in other words is no change, and what knows better is taken.
    expect((await change({ name: "One", was: { name } })).status).toBe(200);
    expect((await change({ name: "Two", was: { name: "One" } })).body.name).toBe("Two");
    await change({ eventAt: "2025-05-12T05:20:00Z" });
    const moved = await change({
      eventAt: "2025-05-13T00:00:00Z",
      was: { eventAt: "2025-05-12T05:20:00.000Z" },
    });
    expect(moved.status).toBe(200);
  });
  test("twenty that rename it at once: each is taken or told, none is lost without a word", async () => {
    const id = await newStudy();
    const { body: seen } = await testServer.call<{ name: string }>("GET", `/studies/${id}`);
    const answers = await Promise.all(
      Array.from({ length: 20 }, (_v, k) =>
        testServer.call<{ name: string }>("PATCH", `/studies/${id}`, {
          name: `Name ${k}`,
          was: { name: seen.name },
        }),
      ),
    );
    const taken = answers.filter(({ status }) => status === 200);
    expect(answers.map(({ status }) => status).filter((status) => status === 409)).toHaveLength(19);
    const { body } = await testServer.call<{ name: string }>("GET", `/studies/${id}`);
    expect(taken.map((answer) => answer.body.name)).toEqual([body.name]);
  });
  test("begin, change, list, delete", async () => {
    const id = await newStudy();
    expect(
      (await testServer.call<{ name: string }>("PATCH", `/studies/${id}`, { name: "Renamed" })).body
        .name,
    ).toBe("Renamed");
    expect(
      (await testServer.call<{ id: string }[]>("GET", "/studies")).body.map((x) => x.id),
    ).toContain(id);
    expect(
      (await testServer.call<{ what: string }[]>("GET", `/studies/${id}/ledger`)).body.map(
        (e) => e.what,
      ),
    ).toEqual(["Study begun", "Study changed"]);
    expect((await testServer.call("DELETE", `/studies/${id}`)).status).toBe(204);
    expect((await testServer.call("GET", `/studies/${id}`)).status).toBe(404);
  });
  test.each([
    ["no name", { hazard: "flood" }, 422, "name"],
    ["an unknown hazard", { name: "x", hazard: "meteor" }, 422, "hazard"],
    ["a date that is none", { name: "x", hazard: "flood", eventAt: "yesterday" }, 422, "eventAt"],
    ["a field that is not known", { name: "x", hazard: "flood", nmae: "y" }, 422, undefined],
    [
      "an area that is a point",
      { name: "x", hazard: "flood", studyArea: { type: "Point", coordinates: [0, 0] } },
      422,
      "studyArea",
    ],
    [
      "an area in metres",
      {
        name: "x",
        hazard: "flood",
        studyArea: {
          type: "Polygon",
          coordinates: [
            [
              [500000, 0],
              [500001, 0],
              [500001, 1],
              [500000, 0],
            ],
          ],
        },
      },
      422,
      "studyArea",
    ],
  ])("%s is refused", async (_n, body, status, field) => {
    const r = await testServer.call<{ error: { code: string; message: string; field?: string } }>(
      "POST",
      "/studies",
      body,
    );
    expect([r.status, r.body.error.code]).toEqual([status, "invalid"]);
    if (field) {
      expect(r.body.error.field).toBe(field);
    }
    expect(r.body.error.message.length).toBeGreaterThan(10);
  });
  test("bodies and addresses that are no good", async () => {
    const response = await testServer.request(`/api/studies`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body: "{oops",
    });
    expect(response.status).toBe(400);
    for (const path of [
      "/studies/not-an-id",
      "/studies/00000000-0000-0000-0000-000000000000",
      "/nothing",
      "/nodes/zz/tiles/0/0/0",
      "/runs/1",
      "/files/00000000-0000-0000-0000-000000000000",
    ]) {
      expect((await testServer.call("GET", path)).status).toBe(404);
    }
  });
});

describe("bad files leave nothing behind", () => {
  const good = radarTiff(80, 60, 1, [20, 30]);
  const cases: [string, string, Uint8Array, RegExp][] = [
    ["text", "a.tif", new TextEncoder().encode("this is not an image at all"), /not a TIFF/],
    ["empty", "a.tif", new Uint8Array(0), /empty/],
    ["cut off", "a.tif", good.slice(0, good.length - 900), /cut off/],
    ["not JSON", "z.geojson", new TextEncoder().encode('{"type":'), /not valid JSON/],
    [
      "no features",
      "z.geojson",
      new TextEncoder().encode('{"type":"Topology","objects":{}}'),
      /holds no features/,
    ],
    [
      "a place of text",
      "z.geojson",
      new TextEncoder().encode(
        '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{},"geometry":{"type":"LineString","coordinates":[[0,0],[1,"x"]]}}]}',
      ),
      /Feature 1 has a place that is not two numbers/,
    ],
  ];
  test.each(cases)("%s", async (_n, name, bytes, why) => {
    const id = await newStudy();
    const before = await empty();
    const r = await testServer.upload(id, name, bytes);
    expect(r.status).toBe(422);
    expect(r.body.error!.message).toMatch(why);
    expect(r.body.error!.message).toContain(name);
    expect(await empty()).toEqual(before);
  });
  test("damage that shows only while reading: the run fails in words, and the file stays with them", async () => {
    const id = await newStudy();
    const before = await empty();
    const bad = radarTiff(600, 600, 2, [20, 30]);
    bad.fill(0xff, bad.length - 200_000, bad.length - 190_000);
    const { runId } = await testServer.importScene(id, "x_20250502.tif", bad);
    const r = await testServer.ended(runId);
    expect(r.state).toBe("failed");
    expect(r.error!.message).toMatch(/cannot be decompressed|belong/);
    expect((await testServer.call("GET", `/studies/${id}/scenes`)).body).toEqual([]);
    const arriving = `/studies/${id}/arriving`;
    const [left] = (await testServer.call<ArrivingFile[]>("GET", arriving)).body;
    expect(left!.refused!.message).toBe(r.error!.message);
    await testServer.call("DELETE", `${arriving}/${left!.id}`);
    expect(await empty()).toEqual(before);
  });
  test("an image without a valid cell", async () => {
    const id = await newStudy();
    const r = await testServer.importScene(
      id,
      "x_20250502_VV.tif",
      buildTiff({
        width: 9,
        height: 9,
        value: () => 0,
        extra: [...UTM27S_KEYS, ...at(X0, Y0, 20), [42113, 2, "0"]],
      }),
    );
    expect((await testServer.ended(r.runId)).error!.message).toMatch(/no valid cell/);
  });
  test("an upload that breaks off, and one for a study that is not there", async () => {
    const id = await newStudy();
    const before = await empty();
    const { request } = await import("node:http");
    await new Promise<void>((ok) => {
      const clientRequest = request(`${testServer.base}/api/studies/${id}/uploads?name=a.tif`, {
        method: "POST",
        headers: { "content-length": "5000000", "content-type": "application/octet-stream" },
      });
      clientRequest.on("error", () => ok());
      clientRequest.write(Buffer.alloc(1_500_000));
      setTimeout(() => clientRequest.destroy(), 300);
    });
    // The server notices the broken line in its own time.
    for (let k = 0; k < 40 && JSON.stringify(await empty()) !== JSON.stringify(before); k++) {
      await new Promise((ok) => setTimeout(ok, 250));
    }
    expect(await empty()).toEqual(before);
    expect(
      (await testServer.upload("00000000-0000-0000-0000-000000000000", "a.tif", good)).status,
    ).toBe(404);
    expect((await testServer.upload(id, "", good)).status).toBe(422);
  });
  test("a file without position, or without the system of its coordinates, asks for it and is no elevation as it is", async () => {
    const id = await newStudy();
    const bare = await testServer.upload(
      id,
      "a.tif",
      buildTiff({ width: 4, height: 4, value: () => 1 }),
    );
    const part = await testServer.upload(
      id,
      "b.tif",
      buildTiff({ width: 4, height: 4, value: () => 1, extra: at(500000, 5170000, 20) }),
    );
    const post = (uploadId: string, b: object) =>
      testServer.call<{
        error?: { message: string; field: string };
        scene: { id: string };
        runId: string;
      }>("POST", `/studies/${id}/scenes`, {
        uploadId,
        kind: "other",
        acquiredAt: "2025-05-02T18:41:00Z",
        ...b,
      });
    expect([bare.body.detail, part.body.detail]).toMatchObject([
      { missing: ["kind", "acquiredAt", "position"] },
      { missing: ["kind", "acquiredAt", "crs"] },
    ]);
    expect((await post(bare.body.id, { kind: "elevation" })).body.error!.message).toMatch(
      /where on the ground/,
    );
    expect((await post(part.body.id, {})).body.error).toMatchObject({ field: "epsg" });
    expect((await post(part.body.id, { epsg: 999998 })).status).toBe(422);
    // Systems beyond longitude and latitude and the UTM zones come from the table that ships.
    const system = await testServer.call<{ code: string; name: string }>("GET", "/crs/3857");
    expect(system.body.code).toBe("EPSG:3857");
    expect(system.body.name).toMatch(/Mercator/);
    const made = (await post(part.body.id, { epsg: 32727 })).body;
    expect((await testServer.ended(made.runId)).state).toBe("done");
    expect(
      (
        await testServer.call<{ id: string; info: { grid: { crs: { code: string } } } }[]>(
          "GET",
          `/studies/${id}/scenes`,
        )
      ).body[0]!.info.grid.crs.code,
    ).toBe("EPSG:32727");
  });
  test("what the file does not say is asked for", async () => {
    const id = await newStudy();
    const address = await testServer.upload(
      id,
      "picture.tif",
      buildTiff({
        width: 9,
        height: 9,
        value: () => 1,
        extra: [...UTM27S_KEYS, ...at(X0, Y0, 20)],
      }),
    );
    expect(address.body.detail).toMatchObject({ kind: null, missing: ["kind", "acquiredAt"] });
    const post = (b: object) =>
      testServer.call<{ error: { message: string; field: string } }>(
        "POST",
        `/studies/${id}/scenes`,
        {
          uploadId: address.body.id,
          ...b,
        },
      );
    expect((await post({ kind: "radar" })).body.error).toMatchObject({ field: "acquiredAt" });
    expect(
      (await post({ kind: "radar", acquiredAt: "2025-05-02T18:41:00Z" })).body.error,
    ).toMatchObject({ field: "bands" });
    expect(
      (
        await post({
          kind: "radar",
          acquiredAt: "2025-05-02T18:41:00Z",
          bands: [{ polarisation: "VV" }],
        })
      ).status,
    ).toBe(202);
    expect((await post({ kind: "elevation" })).body.error.field).toBe("uploadId");
  });
});

describe("from two images to a map", () => {
  let study: string;
  let before: string;
  let after: string;
  const cell = { x0: X0, y0: Y0 };
  beforeAll(async () => {
    const [w, e] = [
      ring([
        [20, 20],
        [350, 20],
        [350, 540],
        [20, 540],
        [20, 20],
      ]),
      ring([
        [350, 20],
        [680, 20],
        [680, 540],
        [350, 540],
        [350, 20],
      ]),
    ];
    study = await newStudy({
      studyArea: {
        type: "Polygon",
        coordinates: [
          ring([
            [20, 20],
            [680, 20],
            [680, 540],
            [20, 540],
            [20, 20],
          ]),
        ],
      },
    });
    const scenes = [
      await testServer.importScene(
        study,
        "a_20250502T184110_VV.tif",
        radarTiff(width, height, 3, [300, 340]),
      ),
      await testServer.importScene(
        study,
        "b_20250514T184110_VV.tif",
        radarTiff(width, height, 4, [200, 340], { tile: [128, 64] }),
      ),
      await testServer.importScene(study, "elevation.tif", elevationTiff(width, height)),
    ];
    for (const scene of scenes) {
      expect((await testServer.ended(scene.runId)).state).toBe("done");
    }
    [before, after] = [scenes[0]!.id, scenes[1]!.id];
    const z = await testServer.upload(
      study,
      "zones.geojson",
      new TextEncoder().encode(
        JSON.stringify({
          type: "FeatureCollection",
          features: [
            ["West", w],
            ["East", e],
          ].map(([name, r]) => ({
            type: "Feature",
            properties: { name },
            geometry: { type: "Polygon", coordinates: [r] },
          })),
        }),
      ),
    );
    expect(
      (await testServer.call("POST", `/studies/${study}/zones`, { uploadId: z.body.id })).status,
    ).toBe(201);
  });
  const body = (over: object = {}) => ({
    beforeId: before,
    afterId: after,
    setup: { ...SETUP, limits: { ...SETUP.limits, studyArea: true, maxSlopeDeg: 10 }, ...over },
  });

  test("scenes have statistics, looks, a footprint; their tiles hold the values of the file", async () => {
    const all = (
      await testServer.call<
        {
          id: string;
          kind: string;
          levels: number;
          statistics: { valid: number; cells: number }[];
          looks: number[];
          footprint: number[][];
          acquiredAt: string;
        }[]
      >("GET", `/studies/${study}/scenes`)
    ).body;
    const a = all.find((x) => x.id === before)!;
    expect(a).toMatchObject({ kind: "radar", levels: 2, acquiredAt: "2025-05-02T18:41:10.000Z" });
    expect(a.statistics[0]).toMatchObject({ cells: width * height, valid: (width - 3) * height });
    expect(a.looks[0]).toBeGreaterThan(1.7);
    expect(a.looks[0]).toBeLessThan(2.4);
    expect(a.footprint[0]![0]).toBeCloseTo(-21.12, 1);
    const n = (
      await testServer.call<{ hash: string; levels: number }>("GET", `/scenes/${before}/node`)
    ).body;
    const t = await testServer.call("GET", `/nodes/${n.hash}/tiles/0/1/1`);
    expect(t.bytes.length).toBe((width - 512) * (height - 512) * 4);
    const source = await (
      await fromArrayBuffer(Uint8Array.from(radarTiff(width, height, 3, [300, 340])).buffer)
    ).getImage();
    const [values] = await source.readRasters({ window: [512, 512, 514, 514] });
    expect(t.bytes.readFloatLE(0)).toBeCloseTo(10 * Math.log10(values![0]!), 4);
    expect(
      (
        await testServer.call("GET", `/nodes/${n.hash}/tiles/0/1/1`, undefined, {
          "if-none-match": t.headers.get("etag")!,
        })
      ).status,
    ).toBe(304);
    expect((await testServer.call("GET", `/nodes/${n.hash}/tiles/0/2/0`)).status).toBe(404);
    expect((await testServer.call("GET", `/nodes/${n.hash}/tiles/0/0/0?bands=4`)).status).toBe(422);
  });
  test("pairs that make no sense are refused, doubtful ones warned of", async () => {
    const path = (b: object) =>
      testServer.call<{ error: { message: string; field: string }; warnings: string[] }>(
        "POST",
        `/studies/${study}/compare/nodes`,
        b,
      );
    expect((await path({ ...body(), afterId: before })).body.error.message).toMatch(/same scene/);
    expect(
      (await path({ ...body(), beforeId: after, afterId: before })).body.error.message,
    ).toMatch(/must be earlier/);
    expect((await path(body({ band: 2 }))).body.error.field).toBe("band");
    expect(
      (
        await path(
          body({
            rules: [{ ...SETUP.rules[0], all: [{ layer: "measure", op: "<", value: "x" }] }],
          }),
        )
      ).status,
    ).toBe(422);
    expect((await path(body())).body.warnings).toEqual([]);
    await testServer.call("PATCH", `/studies/${study}`, { eventAt: "2025-06-01T00:00:00Z" });
    expect((await path(body())).body.warnings[0]).toMatch(/event does not lie between/);
    await testServer.call("PATCH", `/studies/${study}`, { eventAt: "2025-05-12T00:00:00Z" });
  });
  test("histograms count the cells inside the study area that both dates show", async () => {
    const h = (
      await testServer.call<{
        cells: number;
        sampled: boolean;
        measure: { counts: number[]; below: number; above: number };
      }>("POST", `/studies/${study}/compare/histograms`, body())
    ).body;
    expect(h.sampled).toBe(false);
    expect(h.measure.counts.reduce((a, b) => a + b) + h.measure.below + h.measure.above).toBe(
      h.cells,
    );
    expect(Math.abs(h.cells - 660 * 520)).toBeLessThan(1400);
  });
  test("exact areas, change map, tally by zone, patches and files agree with each other", async () => {
    const asked = await testServer.call<{ runId: string; hash: string }>(
      "POST",
      `/studies/${study}/compare/areas`,
      body(),
    );
    expect(asked.status).toBe(202);
    expect((await testServer.ended(asked.body.runId)).state).toBe("done");
    const again = await testServer.call<{ tally: { entries: [number, number, number][] } }>(
      "POST",
      `/studies/${study}/compare/areas`,
      body(),
    );
    expect(again.status).toBe(200);
    const w = await testServer.call<{ runId: string }>("POST", `/studies/${study}/change-maps`, {
      ...body(),
      name: 'Map "one"',
    });
    const run = await testServer.ended(w.body.runId);
    expect(run.state).toBe("done");
    interface Map_ {
      patchCount: number;
      nodeHash: string;
      rows: { zone: string | null; label: number; cells: number; areaM2: number }[];
      provenance: { before: { sha256: string } };
    }
    const id = run.result!.changeMapId!;
    const map = (await testServer.call<Map_>("GET", `/change-maps/${id}`)).body;
    const of = (z: string | null, label: number) =>
      map.rows.find((row) => row.zone === z && row.label === label)!;
    expect(map.nodeHash).toBe(asked.body.hash);
    for (const [k, cells, m2] of again.body.tally.entries) {
      if (k < 255) {
        expect([of(null, k).cells, of(null, k).areaM2 / m2]).toEqual([cells, expect.closeTo(1, 9)]);
      }
    }
    for (const label of [0, 1, 2]) {
      expect(
        of("West", label).cells + of("East", label).cells + (of("In no zone", label)?.cells ?? 0),
      ).toBe(of(null, label).cells);
    }
    // New water was made in cells 200–299 of 520 rows: what speckle costs stays within a few per
    // cent.
    expect(of(null, 1).cells / (100 * 520)).toBeGreaterThan(0.95);
    expect(of(null, 1).cells / (100 * 520)).toBeLessThan(1.05);

    const file = async (format: string) => {
      const r = await testServer.ended(
        (await testServer.call<{ runId: string }>("POST", `/change-maps/${id}/files`, { format }))
          .body.runId,
      );
      return testServer.call("GET", `/files/${r.result!.blobId!}`);
    };
    const tif = await file("cog");
    const image = await (await fromArrayBuffer(Uint8Array.from(tif.bytes).buffer)).getImage();
    const labels = Uint8Array.from((await image.readRasters())[0]!);
    expect(image.getGeoKeys()!.ProjectedCSTypeGeoKey).toBe(32727);
    expect(image.getGDALNoData()).toBe(255);
    expect(image.getOrigin().slice(0, 2)).toEqual([cell.x0, cell.y0]);
    for (const label of [0, 1, 2]) {
      expect(labels.reduce((n, value) => n + (value === label ? 1 : 0), 0)).toBe(
        of(null, label).cells,
      );
    }
    const areas = cellAreas(northUp(utm(27, true), X0, Y0, 20, 20, width, height));
    let m2 = 0;
    labels.forEach((label, i) => {
      if (label === 1) {
        m2 += areas.cell(i % width, Math.floor(i / width));
      }
    });
    expect(of(null, 1).areaM2 / m2 - 1).toBeCloseTo(0, 9);
    expect(JSON.stringify(await image.fileDirectory.loadValue(GDAL_METADATA))).toContain(
      map.provenance.before.sha256,
    );

    const geo = bodyIn<{
      features: { properties: { label: number; cells: number; area_m2: number; class: string } }[];
      provenance: { nodeHash: string };
    }>((await file("geojson")).bytes.toString());
    expect(geo.features).toHaveLength(map.patchCount);
    expect(geo.provenance.nodeHash).toBe(map.nodeHash);
    for (const label of [1, 2]) {
      const fraction = geo.features.filter((feature) => feature.properties.label === label);
      expect(fraction.reduce((n, x) => n + x.properties.cells, 0)).toBe(of(null, label).cells);
      expect(
        fraction.reduce((n, x) => n + x.properties.area_m2, 0) / of(null, label).areaM2 - 1,
      ).toBeCloseTo(0, 7);
    }
    const csv = (await file("csv")).bytes.toString().split("\r\n");
    expect(csv[0]).toBe("zone,class,cells,km2,ha,m2,percent of cells seen");
    expect(csv[1]).toMatch(new RegExp(`^All,New water,${of(null, 1).cells},`));
    expect(csv.join("\n")).toContain('Map ""one""');
    expect(
      (
        await testServer.call<{ geometry: { type: string } }[]>(
          "GET",
          `/change-maps/${id}/outlines?box=-180,-90,180,90&limit=1`,
        )
      ).body[0]!.geometry.type,
    ).toMatch(/Polygon/);
    expect((await testServer.call("GET", `/change-maps/${id}/patches?limit=0`)).status).toBe(422);
    expect(
      (await testServer.call("POST", `/change-maps/${id}/files`, { format: "doc" })).status,
    ).toBe(422);
    expect((await testServer.call("DELETE", `/change-maps/${id}`)).status).toBe(204);
    expect(
      (await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM patch"))[0]!.n,
    ).toBe(0);
  });
  test("the same settings make the same bytes, and previews hold the same classes as the map", async () => {
    const run = await testServer.ended(
      (
        await testServer.call<{ runId: string }>(
          "POST",
          `/studies/${study}/change-maps`,
          body({ limits: { ...SETUP.limits, studyArea: true, minPatchCells: null } }),
        )
      ).body.runId,
    );
    const id = run.result!.changeMapId!;
    const nodes = (
      await testServer.call<{ classes: { hash: string } }>(
        "POST",
        `/studies/${study}/compare/nodes`,
        body({ limits: { ...SETUP.limits, studyArea: true, minPatchCells: null } }),
      )
    ).body;
    const stored = (await testServer.call<{ hash: string }>("GET", `/change-maps/${id}/node`)).body;
    for (const t of ["0/0/0", "0/1/1"]) {
      expect(
        (await testServer.call("GET", `/nodes/${nodes.classes.hash}/tiles/${t}`)).bytes.equals(
          (await testServer.call("GET", `/nodes/${stored.hash}/tiles/${t}`)).bytes,
        ),
      ).toBe(true);
    }
  });
  test("an image that is turned lies north up on the map", async () => {
    const id = await newStudy();
    const r = await testServer.importScene(
      id,
      "turned_20250502_VV.tif",
      buildTiff({
        width: 60,
        height: 40,
        value: (c, next) => 1 + c + next,
        extra: [
          ...UTM27S_KEYS,
          [34264, 12, [16, 12, 0, X0, 12, -16, 0, Y0, 0, 0, 0, 0, 0, 0, 0, 1]],
        ],
      }),
    );
    await testServer.ended(r.runId);
    const n = (
      await testServer.call<{ info: { grid: { transform: number[]; width: number } } }>(
        "GET",
        `/scenes/${r.id}/node`,
      )
    ).body;
    expect(n.info.grid.transform.slice(0, 3)).toEqual([X0, 20, 0]);
    expect(n.info.grid.width).toBe(Math.ceil((60 * 16 + 40 * 12) / 20));
  });
  test("a run can be cancelled with all it began, and an ended one not", async () => {
    // Nobody works here, so that the run cannot end before it is cancelled.
    const idle = await TestServer.start({ workers: 0 });
    try {
      const { body } = await idle.call<{ id: string }>("POST", "/studies", {
        name: "Idle",
        hazard: "flood",
      });
      const scenes = async () =>
        (await idle.call<unknown[]>("GET", `/studies/${body.id}/scenes`)).body.length;
      const { runId } = await idle.importScene(
        body.id,
        "c_20250601_VV.tif",
        radarTiff(90, 90, 9, [1, 2]),
      );
      expect(await scenes()).toBe(1);
      expect((await idle.call("POST", `/runs/${runId}/cancel`)).status).toBe(204);
      expect((await idle.ended(runId)).state).toBe("cancelled");
      expect(await scenes()).toBe(0);
      expect(await idle.query("SELECT name FROM blob")).toEqual([]);
      const again = await idle.call<{ error: { code: string } }>("POST", `/runs/${runId}/cancel`);
      expect([again.status, again.body.error.code]).toEqual([409, "ended"]);
    } finally {
      await idle.stop();
    }
  });
  test("deleting the study leaves no image, no file, no patch", async () => {
    for (const x of (await testServer.call<{ id: string }[]>("GET", "/studies")).body) {
      expect((await testServer.call("DELETE", `/studies/${x.id}`)).status).toBe(204);
    }
    await new Promise((ok) => setTimeout(ok, 300));
    expect(await empty()).toEqual({ images: 0, blobs: 0, blocks: 0, chunks: 0 });
    expect(
      (await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM patch"))[0]!.n,
    ).toBe(0);
  });
});
