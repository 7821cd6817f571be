import initSqlJs, { type Database, type SqlValue } from "sql.js";
import { messageOf } from "@hindglance/core/errors";
import type { Feature, Geometry } from "@hindglance/core/vector/features";
import { FormatError } from "../errors";
import type { SaidSystem, VectorFile, VectorLayer } from "./layer";
import { fromWkb } from "./wellKnown";

const SQLITE = "SQLite format 3\0";

/** Whether a file begins as a database of SQLite, which a GeoPackage is. */
export const looksLikeGeoPackage = (head: Uint8Array): boolean =>
  Buffer.from(head.subarray(0, SQLITE.length)).toString("latin1") === SQLITE;

/** Bytes of the envelope in the header of a geometry, by its kind. */
const ENVELOPES = [0, 32, 48, 48, 64];
const HEADER = 8;

/** The well-known binary inside a geometry of a GeoPackage; null for an empty one. @throws Error */
function wkbOf(blob: Uint8Array): Uint8Array | null {
  const [first, second, , flags = 0] = blob;
  const envelope = ENVELOPES[(flags >> 1) & 7];
  if (first !== 0x47 || second !== 0x50 || envelope === undefined) {
    throw new Error("it does not begin like one");
  }
  const isEmpty = (flags & 0x10) !== 0;
  return isEmpty ? null : blob.subarray(HEADER + envelope);
}

type Row = Record<string, SqlValue>;

const quoted = (name: SqlValue | undefined): string => `"${String(name).replace(/"/g, '""')}"`;

function rowsOf(db: Database, sql: string): Row[] {
  const statement = db.prepare(sql);
  const rows: Row[] = [];
  while (statement.step()) {
    rows.push(statement.getAsObject());
  }
  statement.free();
  return rows;
}

/** Layers of features, each with the column of its geometries and what is said of its system. */
const LAYERS = `
  SELECT c.table_name AS name, g.column_name AS field, s.organization AS organisation,
    s.organization_coordsys_id AS code, s.definition AS definition
  FROM gpkg_contents c
  JOIN gpkg_geometry_columns g ON g.table_name = c.table_name
  LEFT JOIN gpkg_spatial_ref_sys s ON s.srs_id = g.srs_id
  WHERE c.data_type = 'features'
  ORDER BY c.table_name
`;

function systemOf({ organisation, code, definition }: Row): SaidSystem {
  const number = Number(code);
  if (number > 0 && String(organisation).toUpperCase() === "EPSG") {
    return number === 4326 ? "lonLat" : { epsg: number };
  }
  const text = String(definition ?? "");
  return number > 0 && text && text !== "undefined" ? { wkt: text } : null;
}

/** @throws FormatError with the feature's number */
function geometryIn(value: SqlValue | undefined, layer: string, feature: number): Geometry | null {
  if (!(value instanceof Uint8Array)) {
    return null;
  }
  try {
    const wkb = wkbOf(value);
    return wkb && fromWkb(wkb);
  } catch (error) {
    throw new FormatError(
      "damaged",
      `The geometry of feature ${feature} of ${layer} cannot be read (${messageOf(error)})`,
    );
  }
}

function layerOf(db: Database, row: Row): VectorLayer {
  const name = String(row.name);
  const field = String(row.field);
  const features = rowsOf(db, `SELECT * FROM ${quoted(row.name)}`).map((found, k): Feature => {
    const { [field]: geometry, ...others } = found;
    const properties = Object.entries(others).filter(([, value]) => !(value instanceof Uint8Array));
    return {
      properties: Object.fromEntries(properties),
      geometry: geometryIn(geometry, name, k + 1),
    };
  });
  return { name, system: systemOf(row), features };
}

/**
 * Layers of features of a GeoPackage, each with its system. Tiles and attributes without geometry
 * are left out.
 *
 * @throws FormatError where it is no GeoPackage, is damaged, or holds no features
 */
export async function readGeoPackage({ name, bytes }: VectorFile): Promise<VectorLayer[]> {
  const { Database } = await initSqlJs();
  const db = new Database(bytes);
  try {
    const layers = rowsOf(db, LAYERS);
    if (layers.length === 0) {
      throw new FormatError("unsupported", `${name} holds no layer of features`);
    }
    return layers.map((row) => layerOf(db, row));
  } catch (error) {
    if (error instanceof FormatError) {
      throw error;
    }
    const why = messageOf(error);
    throw new FormatError(
      "damaged",
      /no such table/.test(why)
        ? `${name} is a database, but no GeoPackage`
        : `${name} cannot be read as GeoPackage (${why})`,
    );
  } finally {
    db.close();
  }
}
