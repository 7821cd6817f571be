import { square, type Row } from "@hindglance/formats/testing/square";
import type { TakenUpload, UploadDetail } from "@hindglance/contract/upload";
import type { Overlay, OverlayFeatures, ZoneLayer } from "@hindglance/contract/scenes";
import type { Zones } from "./db/scenes";
import type { AreaGeometry, Study } from "@hindglance/contract/studies";
import { buildDbf, buildShp } from "@hindglance/formats/testing/buildShapefile";
import { zipOf } from "@hindglance/formats/testing/buildSafe";
import { TestServer } from "./testing/harness";

type Refused = { error: { code: string; message: string; field: string; hint?: string } };
type Upload = TakenUpload & Refused & { detail: UploadDetail };

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
});
beforeEach(async () => {
  const made = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Vectors", hazard: "flood" },
  });
  study = made.body.id;
});
afterAll(() => testServer.stop());

const send = async (name: string, content: Uint8Array | object, take = false): Promise<Upload> => {
  const bytes = content instanceof Uint8Array ? content : Buffer.from(JSON.stringify(content));
  const query = `name=${name}${take ? "&take=true" : ""}`;
  return (await testServer.call<Upload>("POST", `/studies/${study}/uploads?${query}`, bytes)).body;
};
const sendTogether = async (files: Record<string, Uint8Array>): Promise<Upload> => {
  const folder = crypto.randomUUID();
  for (const [path, bytes] of Object.entries(files)) {
    const query = `name=${path}&folder=${folder}&path=${path}`;
    await testServer.call("POST", `/studies/${study}/uploads?${query}`, bytes);
  }
  return (await testServer.call<Upload>("POST", `/studies/${study}/folders/${folder}`)).body;
};
const use = async <T>(route: string, body: object) => {
  const answer = await testServer.call<T & Refused>("POST", `/studies/${study}/${route}`, body);
  return { status: answer.status, ...answer.body };
};
/** Zones that an upload becomes, with the status of the answer and their polygons as they are kept. */
async function zonesOf(body: object) {
  const answer = await use<ZoneLayer>("zones", body);
  const [kept] = await testServer.query<{ polygons: Zones["polygons"] }>(
    "SELECT features -> 'features' AS polygons FROM zone_layer WHERE id = $1",
    [answer.id],
  );
  return { ...answer, polygons: kept!.polygons };
}
const filesLeft = async (): Promise<number> =>
  (await testServer.query("SELECT id FROM blob WHERE study_id = $1", [study])).length;

const feature = (name: string, ...rings: Row[]) => ({
  type: "Feature",
  properties: { name },
  geometry: { type: "Polygon", coordinates: rings },
});
const collection = (...features: object[]) => ({ type: "FeatureCollection", features });
const PRJ =
  'GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]]';
const SHAPE = {
  "zones.shp": buildShp(5, [[square(-21, -44, 0.5)], [square(-20, -44, 0.5)]]),
  "zones.dbf": buildDbf(["name"], [["Lowfen"], ["Tolm"]]),
  "zones.prj": Buffer.from(PRJ),
};

test("the loose parts of a Shapefile become zones, and are gone afterwards", async () => {
  const upload = await sendTogether(SHAPE);
  expect(upload).toMatchObject({
    name: "zones.shp",
    detail: { form: "vectors", layers: [{ features: 2, polygons: 2, nameField: "name" }] },
  });
  const zones = await zonesOf({ uploadId: upload.id });
  expect(zones).toMatchObject({
    status: 201,
    name: "zones",
    fileName: "zones.shp",
    nameField: "name",
  });
  expect(zones.polygons.map(({ properties }) => properties.name)).toEqual(["Lowfen", "Tolm"]);
  expect(zones.polygons[0]!.geometry).toEqual({
    type: "MultiPolygon",
    coordinates: [[square(-21, -44, 0.5)]],
  });
  expect(await filesLeft()).toBe(0);
});

test("of an archive with several layers one is said, and each can be used", async () => {
  const other = {
    "roads.shp": buildShp(3, [
      [
        [
          [-21, -44],
          [-20, -43],
        ],
      ],
    ]),
    "roads.prj": Buffer.from(PRJ),
  };
  const zip = await zipOf(new Map<string, Uint8Array>(Object.entries({ ...SHAPE, ...other })));
  const upload = await send("all.zip", zip);
  expect(upload.detail.layers!.map(({ name }) => name)).toEqual(["zones", "roads"]);
  expect(await use("zones", { uploadId: upload.id })).toMatchObject({
    status: 422,
    error: { field: "layer", message: "all.zip has 2 layers: zones, roads" },
  });
  expect(await use("zones", { uploadId: upload.id, layer: 1 })).toMatchObject({
    error: { message: "Feature 1 of all.zip is a line, which has no area" },
  });
  expect(await use("zones", { uploadId: upload.id, layer: 0 })).toMatchObject({ status: 201 });
  expect(await use("zones", { uploadId: upload.id, layer: 0 })).toMatchObject({ status: 409 });
  const [waiting] = (await testServer.call<Upload[]>("GET", `/studies/${study}/uploads`)).body;
  expect(waiting!.detail.layers!.map(({ taken }) => taken)).toEqual([true, false]);
  expect(await use("overlays", { uploadId: upload.id, layer: 1 })).toMatchObject({ status: 201 });
  expect(await filesLeft()).toBe(0);
});

test("overlapping polygons of a study area are counted once", async () => {
  const upload = await send(
    "area.geojson",
    collection(feature("a", square(-21, -44, 0.5)), feature("b", square(-20.75, -44, 0.5))),
  );
  expect(await use("study-area", { uploadId: upload.id })).toMatchObject({ status: 204 });
  const { body } = await testServer.call<Study>("GET", `/studies/${study}`);
  const { coordinates } = body.studyArea!;
  expect(coordinates).toHaveLength(1);
  const [shell] = coordinates[0]!;
  const longitudes = shell!.map(([lon]) => lon);
  expect([Math.min(...longitudes), Math.max(...longitudes)]).toEqual([-21, -20.25]);
  const ledger = await testServer.call<{ what: string; detail: object }[]>(
    "GET",
    `/studies/${study}/ledger`,
  );
  expect(ledger.body.at(-1)).toMatchObject({
    what: "Study changed",
    detail: { file: "area.geojson", studyArea: { type: "MultiPolygon" } },
  });
});

test("metres that are called degrees are never stored: their system is asked for, and obeyed", async () => {
  const upload = await send(
    "zones.geojson",
    collection(
      feature("a", square(490_000, 5_170_000, 500)),
      feature("b", square(491_000, 5_170_000, 500)),
    ),
    true,
  );
  expect(upload.imported).toBe(false);
  expect(await use("zones", { uploadId: upload.id })).toMatchObject({
    status: 422,
    error: { field: "epsg" },
  });
  const degrees = await use("zones", { uploadId: upload.id, epsg: 4326 });
  expect(degrees.status).toBe(422);
  expect(degrees.error.message).toMatch(/^Feature 1 of zones\.geojson has the place 490000/);
  const zones = await zonesOf({ uploadId: upload.id, epsg: 32727 });
  expect(zones.status).toBe(201);
  const text = JSON.stringify(zones.polygons);
  const [lon, lat] = /\[(-?[\d.]+),(-?[\d.]+)\]/.exec(text)!.slice(1).map(Number);
  // West of the middle of zone 27 by 10 km, south of 43.6°.
  expect(lon).toBeCloseTo(-21.124, 2);
  expect(lat).toBeCloseTo(-43.623, 2);
});

test("a bow tie is told, and mended when that is said", async () => {
  const tie: Row = [
    [-21, -44],
    [-20.5, -43.5],
    [-20.5, -44],
    [-21, -43.5],
    [-21, -44],
  ];
  const upload = await send(
    "tie.geojson",
    collection(feature("a", tie), feature("b", square(-20, -44, 0.2))),
    true,
  );
  expect(upload.imported).toBe(false);
  const asked = await use("zones", { uploadId: upload.id });
  expect(asked.error.field).toBe("repair");
  expect(asked.error.message).toMatch(/^Feature 1 of tie\.geojson crosses itself/);
  const zones = await zonesOf({ uploadId: upload.id, repair: true });
  expect(zones.polygons[0]!.geometry).toMatchObject({ coordinates: { length: 2 } });
});

test("features lie over the maps, are drawn otherwise, hidden and removed", async () => {
  const points = collection(
    {
      type: "Feature",
      properties: { name: "Hospital", beds: 30 },
      geometry: { type: "Point", coordinates: [-21, -43.9, 12] },
    },
    {
      type: "Feature",
      properties: { name: "Road" },
      geometry: {
        type: "LineString",
        coordinates: [
          [-21, -44],
          [-20, -43],
        ],
      },
    },
  );
  const upload = await send("places.geojson", points);
  expect(upload.detail.layers![0]).toMatchObject({ points: 1, lines: 1, withHeights: 1 });
  expect(await use("overlays", { uploadId: upload.id, labelField: "nothing" })).toMatchObject({
    status: 422,
    error: { field: "labelField" },
  });
  const overlay = await use<Overlay>("overlays", { uploadId: upload.id, labelField: "name" });
  expect(overlay).toMatchObject({
    ...{ status: 201, name: "places", features: 2, shown: true, labelField: "name" },
    fields: ["name", "beds"],
  });
  const { body } = await testServer.call<OverlayFeatures>(
    "GET",
    `/overlays/${overlay.id}/features`,
  );
  expect(body.features[0]!.geometry).toEqual({ type: "Point", coordinates: [-21, -43.9] });
  const second = await use<Overlay>("overlays", {
    uploadId: (await send("again.geojson", points)).id,
  });
  expect(second.color).not.toBe(overlay.color);

  const patch = (next: object) =>
    testServer.call<Overlay & Refused>("PATCH", `/overlays/${overlay.id}`, next);
  expect((await patch({ shown: false, color: "#112233", labelField: null })).body).toMatchObject({
    ...{ shown: false, color: "#112233", labelField: null, name: "places" },
  });
  expect((await patch({ labelField: "lost" })).body.error.field).toBe("labelField");
  expect((await patch({ color: "red" })).status).toBe(422);
  expect((await testServer.call("DELETE", `/overlays/${overlay.id}`)).status).toBe(204);
  expect((await patch({ shown: true })).status).toBe(404);
  const left = await testServer.call<Overlay[]>("GET", `/studies/${study}/overlays`);
  expect(left.body.map(({ name }) => name)).toEqual(["again"]);
});

test("zones are laid over the maps with their names, once, and stay zones", async () => {
  const zones = await zonesOf({
    uploadId: (await send("parishes.geojson", collection(feature("Tolm", square(-21, -44, 0.5)))))
      .id,
  });
  const lay = () => testServer.call<Overlay & Refused>("POST", `/zones/${zones.id}/overlay`);
  expect(await lay()).toMatchObject({
    status: 201,
    body: { name: "parishes", features: 1, labelField: "name", fields: ["name"], shown: true },
  });
  const again = await lay();
  expect(again.status).toBe(409);
  expect(again.body.error.message).toBe("parishes lies over the maps already");
  const listed = await testServer.call<ZoneLayer[]>("GET", `/studies/${study}/zones`);
  expect(listed.body.map(({ id }) => id)).toContain(zones.id);
  const missing = await testServer.call("POST", `/zones/${crypto.randomUUID()}/overlay`);
  expect(missing.status).toBe(404);
});

test("features of another study are refused", async () => {
  const upload = await send("area.geojson", collection(feature("a", square(-21, -44, 0.5))));
  const other = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Other", hazard: "flood" },
  });
  for (const route of ["zones", "overlays", "study-area"]) {
    const { status } = await testServer.call("POST", `/studies/${other.body.id}/${route}`, {
      uploadId: upload.id,
    });
    expect(status).toBe(422);
  }
});

describe("a file that is read and not kept", () => {
  const read = async <T>(what: string, name: string, content: object | Uint8Array) => {
    const bytes = content instanceof Uint8Array ? content : Buffer.from(JSON.stringify(content));
    return (await testServer.call<T & Refused>("POST", `/vectors/${what}?name=${name}`, bytes))
      .body;
  };
  test("gives its polygons as one area", async () => {
    const two = collection(feature("a", square(-21, -44, 1)), feature("b", square(-20, -44, 1)));
    const area = await read<AreaGeometry>("area", "area.json", two);
    expect(area.coordinates).toHaveLength(1);
    const zip = await zipOf(new Map<string, Uint8Array>(Object.entries(SHAPE)));
    expect((await read<AreaGeometry>("area", "area.zip", zip)).coordinates).toHaveLength(2);
  });
  test("gives its features in longitude and latitude", async () => {
    const places = Buffer.from("name,lon,lat,scene_x\nP1,-21,-44,7.5\n");
    expect(await read("features", "points.csv", places)).toEqual({
      type: "FeatureCollection",
      features: [
        {
          type: "Feature",
          properties: { name: "P1", scene_x: 7.5 },
          geometry: { type: "Point", coordinates: [-21, -44] },
        },
      ],
    });
  });
  test("says what is wrong or has to be asked, and leaves nothing behind", async () => {
    const line = {
      type: "LineString",
      coordinates: [
        [0, 0],
        [1, 1],
      ],
    };
    expect((await read("area", "a.json", line)).error.message).toBe(
      "Feature 1 of a.json is a line, which has no area",
    );
    const metres = feature("a", square(490_000, 5_170_000, 9));
    expect((await read("area", "a.json", metres)).error.message).toMatch(/metres or feet/);
    const tie = feature("a", [
      [-21, -44],
      [-20, -43],
      [-20, -44],
      [-21, -43],
      [-21, -44],
    ]);
    expect((await read("area", "a.json", tie)).error.message).toMatch(/crosses itself/);
    expect((await read("area", "a.json", Buffer.from("{"))).error.message).toMatch(
      /not valid JSON/,
    );
    expect((await read("features", "a.csv", new Uint8Array(21 << 20))).error.code).toBe("tooLarge");
    expect(await testServer.query("SELECT id FROM blob WHERE study_id IS NULL")).toEqual([]);
  });
});
