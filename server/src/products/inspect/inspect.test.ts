import { orbitText, safeFiles, zipOf } from "@hindglance/formats/testing/buildSafe";
import { type Blob } from "../../db/blobs";
import type { FoundLayer } from "@hindglance/contract/upload";
import { listOrbits } from "../../db/products";
import { readLedger } from "../../db/studies";
import { lookingForTests } from "../../testing/looking";
import { takeOrbit } from "./orbit";

const looking = lookingForTests();
const { look, together, stored, database } = looking;

const square = (west: number) => ({
  type: "Polygon",
  coordinates: [
    [
      [west, -44],
      [west + 1, -44],
      [west + 1, -43],
      [west, -44],
    ],
  ],
});
const feature = (west: number, properties: object) => ({
  type: "Feature",
  properties,
  geometry: square(west),
});
const collection = (...features: object[]) =>
  JSON.stringify({ type: "FeatureCollection", features });
describe("a file that is none of those that can be read", () => {
  test.each([
    ["notes.tif", "these are only notes", /does not begin like one/],
    ["empty.tif", "", /is empty/],
    ["fake.zip", "PK is no zip", /This is not a zip archive/],
  ])("%s is refused by what it lacks", async (name, content, message) => {
    await expect(look(name, content)).rejects.toThrow(message);
  });
});

describe("a radar product", () => {
  test("is the same as a zip and as the files of a folder", async () => {
    const files = safeFiles();
    const zip = await look("product.zip", await zipOf(files));
    expect(zip).toMatchObject({ form: "product", kind: "radar" });
    const { found } = await together(Object.fromEntries(files));
    const folder = await found;
    expect({ ...folder, files: null }).toEqual({ ...zip, files: null });
    expect("files" in folder && folder.files.blobs).toHaveLength(files.size);
  });

  test("that is cut off is refused as that", async () => {
    const whole = await zipOf(safeFiles());
    await expect(look("cut.zip", whole.subarray(0, whole.length / 2))).rejects.toMatchObject({
      problem: "truncated",
    });
  });
});

describe("features", () => {
  /** The first layer of a file of features. */
  async function layerOf(name: string, text: string): Promise<FoundLayer> {
    const found = await look(name, text);
    if (found.form !== "vectors") {
      throw new Error("These are no features");
    }
    return found.layers[0]!;
  }

  test("tell their shapes, their system, and the properties that all of them have", async () => {
    const text = collection(
      feature(-21, { code: 7, district_name: "Lowfen", area: null }),
      feature(-20, { code: 8, district_name: "Tolm", other: "x" }),
    );
    expect(await look("districts.geojson", text)).toMatchObject({
      form: "vectors",
      name: "districts.geojson",
      layers: [
        {
          ...{ name: "districts", features: 2, points: 0, lines: 0, polygons: 2, faulty: 0 },
          nameFields: ["code", "district_name"],
          nameField: "district_name",
          system: "WGS 84",
          noSystem: null,
          refused: null,
        },
      ],
    });
  });

  test("a lone feature or a bare polygon is one of them", async () => {
    for (const one of [feature(-21, {}), square(-21)]) {
      expect(await look("area.geojson", JSON.stringify(one))).toMatchObject({
        layers: [{ features: 1, polygons: 1, nameFields: [], nameField: null }],
      });
    }
  });

  test("in metres that are called degrees are asked for their system", async () => {
    const metres = [500_000, 5_170_000];
    const point = { type: "Point", coordinates: metres };
    const layer = await layerOf("places.geojson", JSON.stringify(point));
    expect(layer.system).toBeNull();
    expect(layer.noSystem).toMatch(
      /^The file says longitude and latitude, and has the place 500000, 5170000/,
    );
  });

  test("with faults say which, and are refused where those cannot be mended", async () => {
    const bowTie = {
      ...square(-21),
      coordinates: [
        [
          [-21, -44],
          [-20, -43],
          [-20, -44],
          [-21, -43],
          [-21, -44],
        ],
      ],
    };
    const text = collection(feature(-22, { name: "a" }), {
      ...feature(-21, { name: "b" }),
      geometry: bowTie,
    });
    const layer = await layerOf("tie.geojson", text);
    expect(layer).toMatchObject({ faulty: 1, refused: null });
    expect(layer.faults).toEqual([expect.stringMatching(/^Feature 2 crosses itself near −2\d/)]);
    const broken = {
      ...square(-21),
      coordinates: [
        [
          [-21, "x"],
          [-20, -43],
          [-20, -44],
          [-21, "x"],
        ],
      ],
    };
    await expect(look("broken.geojson", JSON.stringify(broken))).rejects.toThrow(
      "broken.geojson: Feature 1 has a place that is not two numbers",
    );
  });

  test.each([
    ["text", "{", /districts\.json is not valid JSON/],
    ["another JSON", '{"type":"Topology"}', /holds no features/],
    ["none at all", collection(), /districts\.json holds no features/],
    [
      "coordinates of another type",
      '{"type":"Polygon","coordinates":[1,2]}',
      /feature 1 are not those of a Polygon/,
    ],
  ])("of %s are refused with what is wrong", async (_what, text, message) => {
    await expect(look("districts.json", text)).rejects.toThrow(message);
  });
});

describe("an orbit file", () => {
  const take = (blob: Blob) => database.db.withTransaction((client) => takeOrbit(client, blob));

  test("is taken at once, and the ledger says so; the same file twice is one", async () => {
    const blob = await stored("orbit.EOF", orbitText());
    const found = await take(blob);
    expect(found).toMatchObject({ form: "orbit", mission: "LANTERN-1", scenes: [] });
    expect(Date.parse(found.from)).toBeLessThan(Date.parse(found.to));
    await take(await stored("again.EOF", orbitText()));
    const orbits = await database.withClient((client) => listOrbits(client, looking.study));
    expect(orbits.map(({ id }) => id)).toEqual([found.orbitId]);
    const entries = await database.withClient((client) => readLedger(client, looking.study));
    expect(entries.map(({ what }) => what)).toContain("Orbit file imported");
  });

  test("that is none is refused, and nothing is kept", async () => {
    const blob = await stored("bad.EOF", "<xml>no orbit</xml>");
    await expect(take(blob)).rejects.toMatchObject({ name: "FormatError" });
  });
});
