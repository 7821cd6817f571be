import { orbitText, safeFiles, zipOf } from "@hindglance/formats/testing/buildSafe";
import { UTM27S_KEYS, at, buildTiff } from "@hindglance/formats/testing/buildTiff";
import { type Blob } from "../../db/blobs";
import { receiveBlob } from "../../db/receiving";
import type { FoundLayer } from "@hindglance/contract/upload";
import type { Inspection } from "../../db/inspection";
import { listOrbits } from "../../db/products";
import { readLedger } from "../../db/studies";
import { databaseForTests } from "../../testing/database";
import { radarTiff } from "../../testing/pairs";
import { inspect, inspectTogether } from "./inspect";
import { takeOrbit } from "./orbit";

/** Text of a system as files beside an image have it. */
const UTM27S =
  'PROJCS["WGS_1984_UTM_Zone_27S",GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]],PROJECTION["Transverse_Mercator"],PARAMETER["False_Easting",500000.0],PARAMETER["False_Northing",10000000.0],PARAMETER["Central_Meridian",-21.0],PARAMETER["Scale_Factor",0.9996],PARAMETER["Latitude_Of_Origin",0.0],UNIT["Meter",1.0]]';

const testDatabase = databaseForTests();
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Uploads");
}, 60_000);

/** A file as it lies in the store once it has arrived. */
async function stored(name: string, content: Uint8Array | string): Promise<Blob> {
  async function* bytes(): AsyncGenerator<Uint8Array> {
    await Promise.resolve();
    yield Buffer.from(content);
  }
  const facts = { studyId: study, purpose: "upload", name, maxBytes: 1e9 };
  return receiveBlob(testDatabase.db, facts, bytes());
}
const look = async (name: string, content: Uint8Array | string): Promise<Inspection> =>
  inspect(testDatabase.db, await stored(name, content));
const together = async (files: Record<string, Uint8Array | string>) => {
  const blobs = [];
  for (const [path, content] of Object.entries(files)) {
    const { id, size } = await stored(path.split("/").pop()!, content);
    blobs.push({ id, path, size });
  }
  return { blobs, found: inspectTogether(testDatabase.db, blobs) };
};

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
/** A picture without a word of where it lies. */
const bare = () => buildTiff({ width: 4, height: 3, format: 1, bits: 8, value: (c) => c });

describe("an image", () => {
  test("on the map says its grid, its bands, its date, and what is still to be asked", async () => {
    const found = await look("corvane_20250502_VV.tif", radarTiff(40, 30, 1, [5, 9]));
    expect(found).toMatchObject({
      form: "raster",
      kind: "radar",
      width: 40,
      height: 30,
      sampleType: "float32",
      nodata: "0",
      grid: { crs: { code: "EPSG:32727" }, transform: [490_000, 20, 0, 5_175_000, 0, -20] },
    });
  });

  test("without a position is asked where it lies", async () => {
    const found = await look("scan.tif", bare());
    expect(found).toMatchObject({ form: "raster", grid: null });
    expect("missing" in found && found.missing).toContain("position");
  });

  test("with a world file lies where that says; its system is asked for", async () => {
    const { blobs, found } = await together({
      "scan.tif": bare(),
      "scan.tfw": "10\n0\n0\n-10\n505\n995\n",
    });
    const { blobId, ...said } = await found;
    expect(blobId).toBe(blobs[0]!.id);
    // The file tells the middle of the first cell, the transform its corner.
    expect(said).toMatchObject({ grid: null, transform: [500, 10, 0, 1000, 0, -10] });
    expect("missing" in said && said.missing).toContain("crs");
    expect("noPosition" in said && said.noPosition).toMatch(/^The world file gives/);
  });

  const MASK = buildTiff({
    width: 4,
    height: 3,
    format: 1,
    bits: 8,
    value: (c) => (c > 1 ? 255 : 0),
  });

  test("with a mask beside it says which one it is; without it a mask is nothing", async () => {
    const { blobs, found } = await together({
      "a_20250502.tif": bare(),
      "a_20250502.tif.msk": MASK,
    });
    const [image, mask] = blobs;
    expect(await found).toMatchObject({
      blobId: image!.id,
      mask: { blobId: mask!.id, name: "a_20250502.tif.msk" },
    });
    await expect(look("a.tif.msk", MASK)).rejects.toThrow(/the image is not there/);
  });

  test("whose mask has another size is refused with both", async () => {
    const other = buildTiff({ width: 5, height: 3, format: 1, bits: 8, value: () => 255 });
    const { found } = await together({ "a.tif": bare(), "a.tif.msk": other });
    await expect(found).rejects.toThrow("a.tif.msk has 5 by 3 cells, its image 4 by 3");
  });

  test("without a system takes that of the .prj beside it", async () => {
    const placed = buildTiff({
      ...{ width: 4, height: 3, format: 1, bits: 8, value: (c) => c },
      extra: at(490_000, 5_175_000, 20),
    });
    const { found } = await together({ "a.tif": placed, "a.prj": UTM27S });
    expect(await found).toMatchObject({
      grid: { crs: { code: "EPSG:32727" }, transform: [490_000, 20, 0, 5_175_000, 0, -20] },
    });
  });

  test("keeps its own position beside a world file that says the same, and is refused where not", async () => {
    const own = radarTiff(40, 30, 1, [5, 9]);
    const same = await together({ "a.tif": own, "a.tfw": "20\n0\n0\n-20\n490010\n5174990\n" });
    expect(await same.found).toMatchObject({ grid: { crs: { code: "EPSG:32727" } } });
    const other = await together({ "a.tif": own, "a.tfw": "20\n0\n0\n-20\n490110\n5174990\n" });
    await expect(other.found).rejects.toThrow(
      "a.tfw puts a.tif at another place than the image itself says",
    );
  });

  test.each<[string, number, 1 | 2 | 3, (c: number) => number, object | null]>([
    [
      "64-bit floats with more digits",
      64,
      3,
      (c) => c / 3,
      { value: 1 / 3, becomes: Math.fround(1 / 3) },
    ],
    ["64-bit floats that 32 bits hold", 64, 3, (c) => c / 4, null],
    [
      "whole numbers past 2^24",
      32,
      1,
      (c) => 16_777_215 + c,
      { value: 16_777_217, becomes: 16_777_216 },
    ],
    ["small whole numbers of 32 bits", 32, 1, (c) => c * 1000, null],
  ])(
    "of %s asks whether they may be rounded only if they would be",
    async (_name, bits, format, value, rounding) => {
      const bytes = buildTiff({
        width: 4,
        height: 3,
        bits,
        format,
        value,
        extra: [...UTM27S_KEYS, ...at(490_000, 5_175_000, 20)],
      });
      const found = await look("heights_20250502_VV.tif", bytes);
      if (found.form !== "raster") {
        throw new Error("This is no raster");
      }
      const { rounding: said = null, missing } = found;
      expect(said).toEqual(rounding);
      expect(missing.includes("rounding")).toBe(rounding !== null);
    },
  );

  test("whose world file stands alone is missed by its name", async () => {
    const { found } = await together({ "scan.tfw": "10\n0\n0\n-10\n505\n995\n" });
    await expect(found).rejects.toThrow("scan.tfw has no image beside it");
  });

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
  const take = (blob: Blob) => testDatabase.db.withTransaction((client) => takeOrbit(client, blob));

  test("is taken at once, and the ledger says so; the same file twice is one", async () => {
    const blob = await stored("orbit.EOF", orbitText());
    const found = await take(blob);
    expect(found).toMatchObject({ form: "orbit", mission: "LANTERN-1", scenes: [] });
    expect(Date.parse(found.from)).toBeLessThan(Date.parse(found.to));
    await take(await stored("again.EOF", orbitText()));
    const orbits = await testDatabase.withClient((client) => listOrbits(client, study));
    expect(orbits.map(({ id }) => id)).toEqual([found.orbitId]);
    const entries = await testDatabase.withClient((client) => readLedger(client, study));
    expect(entries.map(({ what }) => what)).toContain("Orbit file imported");
  });

  test("that is none is refused, and nothing is kept", async () => {
    const blob = await stored("bad.EOF", "<xml>no orbit</xml>");
    await expect(take(blob)).rejects.toMatchObject({ name: "FormatError" });
  });
});
