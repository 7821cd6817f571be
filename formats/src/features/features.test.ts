import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { isObject } from "@hindglance/core/values";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { type AreaFeature, type Field, bytesIn, shortNames } from "./features";
import { MemoryFile } from "../memoryFile";
import { writeFlatGeobuf } from "./writeFlatGeobuf";
import { writeGeoPackage } from "./geoPackage/writeGeoPackage";
import { writeKml } from "./writeKml";
import { UTF8_CPG, WGS84_PRJ, writeShapefile } from "./writeShapefile";

const square = (x: number, y: number, size: number): MultiPolygon[number][number] => [
  [x, y],
  [x + size, y],
  [x + size, y + size],
  [x, y + size],
  [x, y],
];
const CLASSES = ["Überflutet, neu", "水"];
const FIELDS: Field[] = [
  { name: "class", type: "text", longest: Math.max(...CLASSES.map(bytesIn)) },
  { name: "cells", type: "integer" },
  { name: "mean_elevation_m", type: "number", decimals: 1 },
  { name: "mean_elevation_error_m", type: "number", decimals: 3 },
  { name: "edited", type: "boolean" },
];
/** A square with a hole of which one number is not known, and two squares that are one feature. */
const FEATURES: AreaFeature[] = [
  {
    values: [CLASSES[0]!, 3, 12.25, null, true],
    polygons: [[square(10, -20, 1), square(10.25, -19.75, 0.5).toReversed()]],
  },
  {
    values: [CLASSES[1]!, 1_000_000_000, -3, 0.125, false],
    polygons: [[square(12, -20, 1)], [square(14, -20, 0.5)]],
  },
];
/** Features one by one, as they come from where they are kept. */
async function* coming(): AsyncGenerator<AreaFeature[]> {
  for (const feature of FEATURES) {
    yield await Promise.resolve([feature]);
  }
}

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "features-"));
});
afterEach(() => rmSync(folder, { recursive: true }));

/** What the tools of another hand read of a file, as GeoJSON. */
function readElsewhere(file: string, ...options: string[]): unknown {
  const args = ["-f", "GeoJSON", "/vsistdout/", join(folder, file), ...options];
  return JSON.parse(execFileSync("ogr2ogr", args, { encoding: "utf8" }));
}

test("names in ten letters are each there once, whatever their letters", () => {
  expect(shortNames(["mean_elevation_m", "mean_elevation_error_m", "class"], 10)).toEqual([
    "mean_eleva",
    "mean_ele_2",
    "class",
  ]);
  expect(shortNames(["Höhe ü. M.", "HOHE U  M!", "1st", ""], 10)).toEqual([
    "Hohe_u__M_",
    "HOHE_U___2",
    "_1st",
    "_",
  ]);
});

test("a Shapefile is read by others with its areas, texts and numbers", async () => {
  const sinks = { shp: new MemoryFile(), shx: new MemoryFile(), dbf: new MemoryFile() };
  expect(await writeShapefile(FIELDS, coming(), sinks)).toBe(2);
  for (const [part, sink] of Object.entries(sinks)) {
    writeFileSync(join(folder, `areas.${part}`), sink.bytes());
  }
  writeFileSync(join(folder, "areas.prj"), WGS84_PRJ);
  writeFileSync(join(folder, "areas.cpg"), UTF8_CPG);
  expect(readElsewhere("areas.shp", "-lco", "RFC7946=YES")).toMatchObject({
    features: [
      {
        properties: {
          class: CLASSES[0],
          cells: 3,
          mean_eleva: 12.3,
          mean_ele_2: null,
          edited: "T",
        },
        geometry: {
          coordinates: [
            expect.arrayContaining([
              [10, -20],
              [11, -19],
            ]),
            expect.arrayContaining([
              [10.25, -19.75],
              [10.75, -19.25],
            ]),
          ],
        },
      },
      {
        properties: {
          class: CLASSES[1],
          cells: 1e9,
          mean_eleva: -3,
          mean_ele_2: 0.125,
          edited: "F",
        },
        geometry: { type: "MultiPolygon" },
      },
    ],
  });
  const info = execFileSync("ogrinfo", ["-so", "-al", join(folder, "areas.shp")], {
    encoding: "utf8",
  });
  expect(info).toMatch(/Extent: \(10\.000000, -20\.000000\) - \(14\.500000, -19\.000000\)/);
  expect(info).toContain('GEOGCRS["WGS 84"');
  expect(info).toMatch(/cells: Integer64 \(18\.0\)\s+mean_eleva: Real \(19\.1\)/);
  // Areas by their tools: a square less its hole, and two.
  const areas = execFileSync("ogrinfo", [
    ...["-q", "-dialect", "SQLite", "-sql", "SELECT ST_Area(geometry) AS a FROM areas"],
    join(folder, "areas.shp"),
  ]).toString();
  expect([...areas.matchAll(/a \(Real\) = ([\d.]+)/g)].map(([, one]) => Number(one))).toEqual([
    0.75, 1.25,
  ]);
});

test("a text that is too long is cut between letters, and what is too many is refused", async () => {
  const sinks = () => ({ shp: new MemoryFile(), shx: new MemoryFile(), dbf: new MemoryFile() });
  const long = "ü".repeat(200);
  async function* one() {
    yield await Promise.resolve([{ values: [long], polygons: FEATURES[0]!.polygons }]);
  }
  const own = sinks();
  await writeShapefile([{ name: "note", type: "text", longest: 400 }], one(), own);
  const table = new TextDecoder("utf-8", { fatal: true }).decode(own.dbf.bytes().subarray(65));
  expect(table).toContain("ü".repeat(127));
  expect(table).not.toContain("ü".repeat(128));
  const many = Array.from({ length: 256 }, (_v, k): Field => ({ name: `f${k}`, type: "integer" }));
  await expect(writeShapefile(many, one(), sinks())).rejects.toThrow(/255 fields/);
});

test("KML is read by others with its columns, and has a colour a kind", async () => {
  const styles = CLASSES.map((name, k) => ({
    id: `k${k}`,
    name,
    color: k ? "#0102ff" : "#c8246f",
  }));
  let text = "";
  for await (const part of writeKml(
    {
      ...{ name: "Map & <more>", description: 'of "two" dates', fields: FIELDS, styles },
      styleOf: ({ values }) => styles.find(({ name }) => name === values[0]),
    },
    coming(),
  )) {
    text += part;
  }
  writeFileSync(join(folder, "areas.kml"), text);
  expect(text).toContain("<PolyStyle><color>996f24c8</color>");
  expect(readElsewhere("areas.kml")).toMatchObject({
    features: [
      {
        properties: { Name: `${CLASSES[0]} 1`, class: CLASSES[0], cells: 3, edited: 1 },
        geometry: { type: "Polygon", coordinates: [expect.anything(), expect.anything()] },
      },
      {
        properties: { Name: `${CLASSES[1]} 2`, class: CLASSES[1], cells: 1e9, edited: 0 },
        geometry: { type: "MultiPolygon", coordinates: [expect.anything(), expect.anything()] },
      },
    ],
  });
});

/** What is known of the two features: a number that is not is null or absent. */
const PROPERTIES = FEATURES.map(({ values }) =>
  Object.fromEntries(
    FIELDS.map(({ name }, k) => [name, values[k]] as const).filter(([, value]) => value !== null),
  ),
);

/** Squares in rows of twenty, as many as wanted. */
async function* squares(count: number): AsyncGenerator<AreaFeature[]> {
  for (let k = 0; k < count; k++) {
    const at = [(k % 20) / 2 - 4.9, Math.floor(k / 20) / 2 - 40.1] as const;
    yield await Promise.resolve([
      { values: [CLASSES[k % 2]!, k, null, k / 8, false], polygons: [[square(...at, 0.25)]] },
    ]);
  }
}

async function flatGeobufOf(file: string, features: AsyncIterable<AreaFeature[]>): Promise<void> {
  const options = { name: "Größe", description: "made up", fields: FIELDS };
  const parts = [];
  for await (const part of writeFlatGeobuf(options, features, new MemoryFile())) {
    parts.push(part);
  }
  writeFileSync(join(folder, file), Buffer.concat(parts));
}

const geoPackageOf = (file: string, features: AsyncIterable<AreaFeature[]>): Promise<void> =>
  writeGeoPackage(
    join(folder, file),
    {
      ...{ name: "Größe", description: "made up", at: "2026-05-04T03:02:01.000Z" },
      ...{ provenance: '{"study":"Ombrel"}', fields: FIELDS, styledBy: "class" },
      styles: [{ id: "class1", name: CLASSES[0]!, color: "#c8246f" }],
    },
    features,
  );

interface Read {
  features: { properties: { cells: number } }[];
}
const isRead = (value: unknown): value is Read => isObject(value) && Array.isArray(value.features);

/** Features in the order of their cells: an index may have put them into another. */
function byCells(read: unknown) {
  if (!isRead(read)) {
    throw new Error("It is no collection of features");
  }
  return read.features.toSorted((one, other) => one.properties.cells - other.properties.cells);
}

const INDEXED = [
  { file: "areas.fgb", write: flatGeobufOf, layer: "Größe" },
  { file: "areas.gpkg", write: geoPackageOf, layer: "patches" },
];
describe.each(INDEXED)("$file", ({ file, write, layer }) => {
  test("is read by others with its areas, texts and numbers", async () => {
    await write(file, coming());
    expect(byCells(readElsewhere(file))).toMatchObject(
      FEATURES.map(({ polygons }, k) => ({
        properties: PROPERTIES[k],
        geometry: { type: "MultiPolygon", coordinates: polygons },
      })),
    );
    const info = execFileSync("ogrinfo", ["-so", "-al", join(folder, file)], { encoding: "utf8" });
    expect(info).toContain("Feature Count: 2");
    expect(info).toMatch(/Extent: \(10\.000000, -20\.000000\) - \(14\.500000, -19\.000000\)/);
    expect(info).toContain('GEOGCRS["WGS 84"');
    expect(info).toMatch(/cells: Integer(64)?/);
  });

  // One node, some nodes, nodes of nodes.
  test.each([40, 800, 3000])(
    "of %i areas, others find those of a box by its index",
    async (count) => {
      await write(file, squares(count));
      const among = readElsewhere(file, "-spat", "-1", "-40", "1", "-39");
      const all = readElsewhere(file);
      const within = (read: unknown) => byCells(read).map(({ properties }) => properties.cells);
      expect(within(all)).toEqual([...Array(count).keys()]);
      // Columns from -1.15 to 0.85 and rows from -40.1 to -39.1, by hand.
      const expected = [...Array(count).keys()].filter((k) => {
        const [west, south] = [(k % 20) / 2 - 4.9, Math.floor(k / 20) / 2 - 40.1];
        return west <= 1 && west + 0.25 >= -1 && south <= -39 && south + 0.25 >= -40;
      });
      expect(within(among)).toEqual(expected);
      expect(expected.length).toBeGreaterThan(3);
      const where = "cells = 7";
      const one = readElsewhere(file, "-where", where, layer);
      expect(within(one)).toEqual([7]);
    },
  );

  test("of nothing is a file that has nothing in it", async () => {
    await write(file, squares(0));
    expect(readElsewhere(file)).toMatchObject({ features: [] });
  });

  test("the same areas give the same bytes", async () => {
    await write(file, squares(60));
    await write(`again.${file}`, squares(60));
    expect(readFileSync(join(folder, file))).toEqual(readFileSync(join(folder, `again.${file}`)));
  });
});

test("a GeoPackage has a sound index, its colours, and where it comes from", async () => {
  await geoPackageOf("areas.gpkg", squares(3000));
  const asked = (sql: string) =>
    execFileSync("ogrinfo", ["-q", join(folder, "areas.gpkg"), "-sql", sql], { encoding: "utf8" });
  // Their own module of R-trees checks every node and every row.
  expect(asked("SELECT rtreecheck('rtree_patches_geom') AS said")).toContain("said (String) = ok");
  expect(asked("SELECT * FROM pragma_integrity_check")).toContain("integrity_check (String) = ok");
  expect(asked("SELECT metadata FROM gpkg_metadata")).toContain('{"study":"Ombrel"}');
  const style = asked("SELECT CAST(stylesheet AS TEXT) AS text FROM gpkgext_stylesheets");
  expect(style).toContain('<CssParameter name="fill">#c8246f</CssParameter>');
  expect(style).toContain(`<ogc:Literal>${CLASSES[0]}</ogc:Literal>`);
});

test("a GeoPackage that somebody edits keeps its index", async () => {
  await geoPackageOf("areas.gpkg", squares(300));
  const path = join(folder, "areas.gpkg");
  const edit = (sql: string) => execFileSync("ogrinfo", ["-q", path, "-sql", sql]);
  edit("DELETE FROM patches WHERE cells = 0");
  edit("UPDATE patches SET geom = (SELECT geom FROM patches WHERE cells = 19) WHERE cells = 1");
  const far = readElsewhere("areas.gpkg", "-spat", "4.5", "-40.2", "5", "-40");
  expect(byCells(far).map(({ properties }) => properties.cells)).toEqual([1, 19]);
  expect(readElsewhere("areas.gpkg", "-spat", "-5", "-40.2", "-4", "-39.8")).toMatchObject({
    features: [],
  });
});
