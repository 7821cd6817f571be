import type { Database } from "node-sqlite3-wasm";
import { type Box, NOWHERE, boxOf, joinedBox } from "../box";
import type { AreaFeature, Features, Field } from "../features";
import { type AreaStyle, styledLayer } from "../styledLayer";
import { TABLE, TRIGGERS, quoted, schemaOf } from "./schema";
import { writeIndex } from "./spatialIndex";

const LON_LAT = 4326;
const HEADER_BYTES = 40;

/** What a file says of itself besides its features. */
export interface GeoPackageOptions {
  name: string;
  description: string;
  /** When its features were made, ISO 8601. */
  at: string;
  /** Where they come from, as JSON. */
  provenance: string;
  fields: readonly Field[];
  styles: readonly AreaStyle[];
  /** The field by which areas are coloured: names of styles. */
  styledBy: string;
}

/** Areas as well-known binary behind the header of a GeoPackage. Source: OGC 12-128r18, 2.1.3. */
function geometryBytes(polygons: AreaFeature["polygons"], box: Box): Uint8Array {
  const rings = polygons.flat();
  const positions = rings.reduce((sum, { length }) => sum + length, 0);
  const bytes = new Uint8Array(
    HEADER_BYTES + 9 + 9 * polygons.length + 4 * rings.length + 16 * positions,
  );
  const view = new DataView(bytes.buffer);
  // "GP", version 0; little end first, with an envelope of two axes.
  bytes.set([0x47, 0x50, 0, 3]);
  view.setInt32(4, LON_LAT, true);
  [box[0], box[2], box[1], box[3]].forEach((value, k) => view.setFloat64(8 + 8 * k, value, true));
  let at = HEADER_BYTES;
  const head = (type: number, count: number) => {
    bytes[at] = 1;
    view.setUint32(at + 1, type, true);
    view.setUint32(at + 5, count, true);
    at += 9;
  };
  head(6, polygons.length);
  for (const polygon of polygons) {
    head(3, polygon.length);
    for (const ring of polygon) {
      view.setUint32(at, ring.length, true);
      at += 4;
      for (const [x, y] of ring) {
        view.setFloat64(at, x, true);
        view.setFloat64(at + 8, y, true);
        at += 16;
      }
    }
  }
  return bytes;
}

/** Writes all features; gives their boxes in the order of their numbers, from 1. */
async function putFeatures(
  database: Database,
  fields: readonly Field[],
  features: Features,
): Promise<Box[]> {
  const names = ["fid", "geom", ...fields.map(({ name }) => name)];
  const places = names.map(() => "?").join(", ");
  const statement = database.prepare(
    `INSERT INTO ${TABLE} (${names.map(quoted).join(", ")}) VALUES (${places})`,
  );
  const boxes: Box[] = [];
  for await (const some of features) {
    for (const { values, polygons } of some) {
      const box = boxOf(polygons.flat(2));
      boxes.push(box);
      statement.run([boxes.length, geometryBytes(polygons, box), ...values]);
    }
  }
  statement.finalize();
  return boxes;
}

/** Writes what is said of the features: what they are, where they lie, where they come from. */
function putWords(database: Database, options: GeoPackageOptions, whole: Box): void {
  const [west, south, east, north] = whole[0] > whole[2] ? [null, null, null, null] : whole;
  database.run("INSERT INTO gpkg_contents VALUES (?, 'features', ?, ?, ?, ?, ?, ?, ?, ?)", [
    TABLE,
    options.name,
    options.description,
    options.at,
    west,
    south,
    east,
    north,
    LON_LAT,
  ]);
  database.run("INSERT INTO gpkg_geometry_columns VALUES (?, 'geom', 'MULTIPOLYGON', ?, 0, 0)", [
    TABLE,
    LON_LAT,
  ]);
  database.run(
    "INSERT INTO gpkg_metadata VALUES (1, 'dataset', 'https://www.rfc-editor.org/rfc/rfc8259', 'application/json', ?)",
    [options.provenance],
  );
  database.run("INSERT INTO gpkg_metadata_reference VALUES ('table', ?, NULL, NULL, ?, 1, NULL)", [
    TABLE,
    options.at,
  ]);
}

function putStyles(database: Database, { styles, styledBy, name }: GeoPackageOptions): void {
  database.run("INSERT INTO gpkgext_styles VALUES (1, 'classes', ?, NULL, 'urn:style:classes')", [
    name,
  ]);
  database.run("INSERT INTO gpkgext_stylesheets VALUES (1, 1, 'application/vnd.ogc.sld+xml', ?)", [
    new TextEncoder().encode(styledLayer({ layer: TABLE, title: name, styledBy, styles })),
  ]);
}

/**
 * Areas as a GeoPackage in longitude and latitude, with a spatial index, the colours of the classes
 * as a style of OGC SLD 1.0, and where they come from as its metadata.
 * @param path file that is not there yet; rows go there as they come
 */
export async function writeGeoPackage(
  path: string,
  options: GeoPackageOptions,
  features: Features,
): Promise<void> {
  // Most processes never write one, and its memory is theirs for good.
  const { default: sqlite } = await import("node-sqlite3-wasm");
  const database = new sqlite.Database(path);
  try {
    // The file is made anew where this fails: it needs no way back.
    database.exec("PRAGMA journal_mode = OFF; PRAGMA synchronous = OFF; BEGIN;");
    database.exec(schemaOf(options.fields));
    const boxes = await putFeatures(database, options.fields, features);
    putWords(database, options, boxes.reduce(joinedBox, NOWHERE));
    putStyles(database, options);
    writeIndex(database, boxes);
    database.exec(TRIGGERS);
    database.exec("COMMIT");
  } finally {
    database.close();
  }
}
