import { UTM27S_PRJ } from "../testing/utm27south";
import { serialize } from "flatgeobuf/lib/mjs/geojson.js";
import initSqlJs from "sql.js";
import { utm, LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { rowsOf } from "@hindglance/core/vector/features";
import { openArchive } from "../archive";
import { MemorySource } from "../source";
import { buildDbf, buildShp } from "../testing/buildShapefile";
import { zipOf } from "../testing/buildSafe";
import { type Row, square } from "../testing/square";
import { onGlobe, systemDoubt } from "./onGlobe";
import { holdsVectors, looksLikeVectors, openVectorArchive, openVectors } from "./openVectors";

const bytes = (text: string): Uint8Array => Uint8Array.from(Buffer.from(text));
const open = (name: string, content: Uint8Array | string) =>
  openVectors([{ name, bytes: typeof content === "string" ? bytes(content) : content }]);
const inArchive = async (name: string, files: Record<string, Uint8Array | string>) => {
  const zip = await zipOf(new Map(Object.entries(files)));
  const set = (await openArchive(new MemorySource(zip)))!;
  return { set, layers: () => openVectorArchive(set, name) };
};

const turned = (ring: Row): Row => [...ring].reverse();

describe("a Shapefile", () => {
  const shp = buildShp(5, [
    [square(0, 0, 9), turned(square(1, 1, 2))],
    [],
    [square(20, 0, 4), square(30, 0, 4)],
  ]);
  const dbf = buildDbf(
    ["name", "code"],
    [
      ["Lowfen", "007"],
      ["nothing", ""],
      ["Tolm", "8"],
    ],
  );

  test("gives its polygons with their holes, its table, and its system", async () => {
    const [layer] = await openVectors([
      { name: "d/zones.shp", bytes: shp },
      { name: "d/zones.dbf", bytes: dbf },
      { name: "d/zones.prj", bytes: bytes(UTM27S_PRJ) },
    ]);
    expect(layer).toMatchObject({ name: "zones", system: { wkt: UTM27S_PRJ.trim() } });
    expect(layer!.features).toEqual([
      {
        properties: { name: "Lowfen", code: "007" },
        geometry: {
          type: "MultiPolygon",
          coordinates: [[square(0, 0, 9), turned(square(1, 1, 2))]],
        },
      },
      { properties: { name: "nothing", code: "" }, geometry: null },
      {
        properties: { name: "Tolm", code: "8" },
        geometry: { type: "MultiPolygon", coordinates: [[square(20, 0, 4)], [square(30, 0, 4)]] },
      },
    ]);
    expect((await onGlobe(layer!)).crs.code).toBe("EPSG:32727");
  });

  test("that minds no direction keeps its holes; a hole in no shell is told", async () => {
    const polygonsIn = async (...rings: Row[]) =>
      (await open("a.shp", buildShp(5, [rings])))[0]!.features[0]!.geometry;
    expect(await polygonsIn(turned(square(0, 0, 9)), square(1, 1, 2))).toMatchObject({
      coordinates: [[turned(square(0, 0, 9)), square(1, 1, 2)]],
    });
    const [layer] = await open("a.shp", buildShp(5, [[square(0, 0, 2), turned(square(5, 5, 1))]]));
    const { faults } = await onGlobe({ ...layer!, system: "lonLat" });
    expect(faults.map(({ kind }) => kind)).toEqual(["holeOutside"]);
  });

  test("of points, and of lines with heights, is read with them; on the globe they are left out", async () => {
    const points = await open("p.shp", buildShp(1, [[[[3, 4]]], [[[5, 6]]]]));
    expect(points[0]!.features.map(({ geometry }) => geometry)).toEqual([
      { type: "Point", coordinates: [3, 4] },
      { type: "Point", coordinates: [5, 6] },
    ]);
    const line: Row = [
      [0, 0],
      [1, 1],
      [2, 0],
    ];
    const [lines] = await open("l.shp", buildShp(13, [[line]]));
    expect(lines!.features[0]!.geometry).toEqual({
      type: "MultiLineString",
      coordinates: [line.map(([x, y], k) => [x, y, 100 + k])],
    });
    const placed = await onGlobe({ ...lines!, system: "lonLat" });
    expect(placed.withHeights).toBe(1);
    expect(placed.features[0]!.geometry).toMatchObject({ coordinates: [line] });
  });

  test.each<[string, (text: string) => Buffer, string | null]>([
    ["UTF-8, said by its .cpg", (text) => Buffer.from(text), "UTF-8"],
    ["UTF-8 without a .cpg", (text) => Buffer.from(text), null],
    ["Latin 1, said by a number", (text) => Buffer.from(text, "latin1"), "88591"],
    ["Windows 1252 without a .cpg", (text) => Buffer.from(text, "latin1"), null],
  ])("has its names right in %s", async (_what, encode, cpg) => {
    const files = [
      { name: "a.shp", bytes: buildShp(1, [[[[3, 4]]]]) },
      { name: "a.dbf", bytes: buildDbf(["name"], [["Löwfen"]], encode) },
      ...(cpg ? [{ name: "a.cpg", bytes: bytes(cpg) }] : []),
    ];
    expect((await openVectors(files))[0]!.features[0]!.properties).toEqual({ name: "Löwfen" });
  });

  test.each<[string, Record<string, Uint8Array>, RegExp]>([
    ["lacks its .shp", { "a.dbf": dbf }, /a part of a Shapefile, and its \.shp is not there/],
    ["is none", { "a.shp": bytes("x".repeat(200)) }, /does not begin like one/],
    ["is cut off", { "a.shp": shp.subarray(0, shp.length - 7) }, /a\.shp is cut off/],
    [
      "has a table of other records",
      { "a.shp": shp, "a.dbf": buildDbf(["n"], [["1"]]) },
      /3 records, a\.dbf has 1/,
    ],
    [
      "has a table that is cut off",
      { "a.shp": shp, "a.dbf": dbf.subarray(0, 90) },
      /a\.dbf is cut off/,
    ],
    ["holds surfaces", { "a.shp": buildShp(31, [[square(0, 0, 1)]]) }, /records of kind 31/],
  ])("that %s is refused with that", async (_what, files, message) => {
    const all = Object.entries(files).map(([name, content]) => ({ name, bytes: content }));
    await expect(openVectors(all)).rejects.toThrow(message);
  });

  test("opens from a zip, several of them as layers", async () => {
    const { set, layers } = await inArchive("two.zip", {
      "x/a.shp": shp,
      "x/a.dbf": dbf,
      "x/b.SHP": buildShp(1, [[[[3, 4]]]]),
      "x/b.prj": UTM27S_PRJ,
      "__MACOSX/x/._a.shp": "x",
    });
    expect(holdsVectors(set)).toBe(true);
    expect((await layers()).map(({ name, features }) => `${name} ${features.length}`)).toEqual([
      "a 3",
      "b 1",
    ]);
  });
});

describe("KML", () => {
  const kml = (inside: string) =>
    `<?xml version="1.0" encoding="UTF-8"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document>${inside}</Document></kml>`;
  const place = `<Placemark><name>Löw</name><styleUrl>#x</styleUrl><ExtendedData><Data name="code"><value>7</value></Data></ExtendedData><Point><coordinates>-21.5,-43.25,12</coordinates></Point></Placemark>`;

  test("gives its placemarks, with names and data, without heights on the globe", async () => {
    const [layer] = await open("a.kml", kml(`<Folder>${place}</Folder>`));
    expect(layer!.features).toEqual([
      {
        properties: { name: "Löw", code: "7" },
        geometry: { type: "Point", coordinates: [-21.5, -43.25, 12] },
      },
    ]);
    const placed = await onGlobe(layer!);
    expect(placed.withHeights).toBe(1);
    expect(placed.features[0]!.geometry).toEqual({ type: "Point", coordinates: [-21.5, -43.25] });
  });

  test("in a KMZ is found wherever it lies; links are not followed", async () => {
    const link = "<NetworkLink><Link><href>far.kml</href></Link></NetworkLink>";
    const { layers } = await inArchive("b.kmz", { "doc.kml": kml(link), "in/it.kml": kml(place) });
    expect(await layers()).toMatchObject([
      { name: "b", features: [{ properties: { name: "Löw" } }] },
    ]);
    const empty = await inArchive("c.kmz", { "doc.kml": kml(link) });
    await expect(empty.layers()).rejects.toThrow("c.kmz holds no placemarks");
  });

  test("that is broken or could reach out is refused", async () => {
    await expect(open("a.kml", kml("<Placemark>"))).rejects.toThrow(/cannot be read as KML/);
    const entity = kml(place).replace("<kml", '<!DOCTYPE x [<!ENTITY y "z">]><kml');
    await expect(open("a.kml", entity)).rejects.toThrow(/has a document type/);
  });
});

describe("a table", () => {
  test.each<[string, string, unknown[]]>([
    ["degrees, with commas", "name,lon,lat\nA,-21.5,-43.25\n", [[-21.5, -43.25]]],
    [
      "degrees, with semicolons and decimal commas",
      "name;Longitude;Latitude\nA;-21,5;-43,25\n",
      [[-21.5, -43.25]],
    ],
    [
      "tabs and a mark at the beginning",
      "\ufeffname\tlng\tlat\nA\t-21.5\t-43.25\n\n",
      [[-21.5, -43.25]],
    ],
  ])("of %s has points", async (_what, text, places) => {
    const [layer] = await open("t.csv", text);
    expect(layer).toMatchObject({ system: "lonLat", features: [{ properties: { name: "A" } }] });
    expect(layer!.features.map(({ geometry }) => rowsOf(geometry)[0]![0])).toEqual(places);
  });

  test("of x and y does not say its system; one of well-known text may", async () => {
    const [plane] = await open("t.csv", "x,y,code\n500000,5170000,007\n");
    expect(systemDoubt(plane!)).toMatch(/does not say/);
    expect(plane!.features[0]!.properties).toEqual({ code: "007" });
    const [wkt] = await open("t.csv", 'id,WKT\n1,"SRID=32727;POLYGON ((0 0, 9 0, 9 9, 0 0))"\n');
    expect(wkt).toMatchObject({
      system: { epsg: 32727 },
      features: [
        {
          geometry: {
            type: "Polygon",
            coordinates: [
              [
                [0, 0],
                [9, 0],
                [9, 9],
                [0, 0],
              ],
            ],
          },
        },
      ],
    });
  });

  test.each([
    ["no places", "name,code\nA,7\n", /no columns of places; it has name, code/],
    ["a text for a number", "lon,lat\n1,2\n3,four\n", /Line 3 of t\.csv has "3", "four"/],
    ["a geometry that is none", 'WKT\n"POLYGON 0 0"\n', /Line 2 of t\.csv holds no geometry/],
    ["too many fields", "lon,lat\n1,2\n1,2,3,4\n", /Line 3 of t\.csv does not fit its columns/],
    [
      "several systems",
      "WKT\nSRID=4326;POINT (1 2)\nSRID=3857;POINT (1 2)\n",
      /several systems: EPSG:4326, EPSG:3857/,
    ],
  ])("with %s is refused with its line", async (_what, text, message) => {
    await expect(open("t.csv", text)).rejects.toThrow(message);
  });
});

describe("GeoJSON", () => {
  const point = { type: "Point", coordinates: [500000, 5170000] };
  const named = (name: string) =>
    JSON.stringify({ ...point, crs: { type: "name", properties: { name } } });
  test("of the older form names its system, which is obeyed", async () => {
    for (const name of ["urn:ogc:def:crs:EPSG::32727", "EPSG:32727"]) {
      const [layer] = await open("a.json", named(name));
      const [lon, lat] = transformer(utm(27, true), LONLAT)(500000, 5170000);
      const { features, crs } = await onGlobe(layer!);
      expect(crs.code).toBe("EPSG:32727");
      expect(features[0]!.geometry).toEqual({ type: "Point", coordinates: [lon, lat] });
    }
    expect((await open("a.json", named("urn:ogc:def:crs:OGC:1.3:CRS84")))[0]!.system).toBe(
      "lonLat",
    );
    await expect(open("a.json", named("my own"))).rejects.toThrow(/"my own", which is not known/);
  });
  test("in metres without a system is doubted, and taken with the one that is given", async () => {
    const [layer] = await open("a.json", JSON.stringify(point));
    expect(systemDoubt(layer!)).toMatch(/has the place 500000, 5170000: these are metres/);
    expect((await onGlobe(layer!, 32727)).faults).toEqual([]);
    expect((await onGlobe(layer!)).faults.map(({ kind }) => kind)).toEqual(["offGlobe"]);
  });
});

/** A geometry of a GeoPackage around a point in well-known binary. */
function packagePoint(x: number, y: number, srs: number): Uint8Array {
  const blob = Buffer.alloc(8 + 21);
  blob.write("GP", 0);
  blob[3] = 1;
  blob.writeInt32LE(srs, 4);
  blob[8] = 1;
  blob.writeUInt32LE(1, 9);
  blob.writeDoubleLE(x, 13);
  blob.writeDoubleLE(y, 21);
  return blob;
}

describe("a GeoPackage", () => {
  const build = async (fill: string, blob?: Uint8Array): Promise<Uint8Array> => {
    const { Database } = await initSqlJs();
    const db = new Database();
    db.run(fill);
    if (blob) {
      db.run("INSERT INTO places VALUES (1, 'Tolm', 7, ?)", [blob]);
    }
    return db.export();
  };
  const TABLES = `
    CREATE TABLE gpkg_contents (table_name TEXT, data_type TEXT);
    CREATE TABLE gpkg_geometry_columns (table_name TEXT, column_name TEXT, srs_id INTEGER);
    CREATE TABLE gpkg_spatial_ref_sys (srs_id INTEGER, organization TEXT, organization_coordsys_id INTEGER, definition TEXT);
    INSERT INTO gpkg_spatial_ref_sys VALUES (32727, 'EPSG', 32727, ''), (-1, 'NONE', -1, 'undefined');
    CREATE TABLE places (fid INTEGER, name TEXT, code INTEGER, shape BLOB);
    INSERT INTO gpkg_contents VALUES ('places', 'features'), ('pictures', 'tiles');
  `;
  const columns = (srs: number) =>
    `${TABLES} INSERT INTO gpkg_geometry_columns VALUES ('places', 'shape', ${srs});`;

  test("gives its layers with their system and their table", async () => {
    const [layer] = await open(
      "a.gpkg",
      await build(columns(32727), packagePoint(500000, 5170000, 32727)),
    );
    expect(layer).toEqual({
      name: "places",
      system: { epsg: 32727 },
      features: [
        {
          properties: { fid: 1, name: "Tolm", code: 7 },
          geometry: { type: "Point", coordinates: [500000, 5170000] },
        },
      ],
    });
    const [lost] = await open("a.gpkg", await build(columns(-1), packagePoint(1, 2, -1)));
    expect(lost!.system).toBeNull();
  });

  test("that is none, is empty or holds a broken geometry is refused", async () => {
    await expect(open("a.gpkg", "no database")).rejects.toThrow(/does not begin like/);
    await expect(open("a.gpkg", await build("CREATE TABLE x (y)"))).rejects.toThrow(
      /no GeoPackage/,
    );
    await expect(open("a.gpkg", await build(TABLES))).rejects.toThrow(/no layer of features/);
    const broken = await build(columns(32727), Buffer.from("no geometry at all"));
    await expect(open("a.gpkg", broken)).rejects.toThrow(/feature 1 of places cannot be read/);
  });
});

describe("FlatGeobuf", () => {
  const collection = {
    type: "FeatureCollection" as const,
    features: [0, 1, 2].map((k) => ({
      type: "Feature" as const,
      properties: { name: `zone ${k}` },
      geometry: { type: "Polygon" as const, coordinates: [square(k * 10, 0, 4)] },
    })),
  };
  test("gives its features and the system of its header", async () => {
    const [layer] = await open("a.fgb", serialize(collection, 32727));
    expect(layer!.system).toEqual({ epsg: 32727 });
    expect(layer!.features.map(({ properties }) => properties.name)).toEqual([
      "zone 0",
      "zone 1",
      "zone 2",
    ]);
    expect(layer!.features[1]!.geometry).toMatchObject({ coordinates: [square(10, 0, 4)] });
  });
  test("that is cut off is refused", async () => {
    const whole = serialize(collection, 4326);
    await expect(open("a.fgb", whole.subarray(0, whole.length - 40))).rejects.toMatchObject({
      name: "FormatError",
    });
    for (const short of [whole.subarray(0, 9), whole.subarray(0, 40)]) {
      await expect(open("a.fgb", short)).rejects.toThrow(/its header is not whole/);
    }
  });
});

test("a file of another kind is no file of features", async () => {
  await expect(open("a.tif", "II*")).rejects.toThrow("a.tif is no file of features");
});

test("names tell what may hold features", () => {
  const names = [
    "a.shp",
    "a.dbf",
    "a.GeoJSON",
    "a.json",
    "a.kmz",
    "a.gpkg",
    "a.fgb",
    "a.csv",
    "a.tif",
  ];
  expect(names.map(looksLikeVectors)).toEqual([
    true,
    true,
    true,
    true,
    true,
    true,
    true,
    true,
    false,
  ]);
});
