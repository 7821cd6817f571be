import type { Field } from "../features";

/** The table of areas, its column of outlines, and the index over it. */
export const TABLE = "patches";
export const INDEX = `rtree_${TABLE}_geom`;

/** "GPKG", by which a GeoPackage is told from other databases, and its version 1.3. */
const IDENTITY = "PRAGMA application_id = 1196444487; PRAGMA user_version = 10300;";

/** Tables that every GeoPackage has. Source: OGC 12-128r18, annex C. */
const CONTENTS = `
CREATE TABLE gpkg_spatial_ref_sys (
  srs_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL PRIMARY KEY,
  organization TEXT NOT NULL,
  organization_coordsys_id INTEGER NOT NULL,
  definition TEXT NOT NULL,
  description TEXT
);
CREATE TABLE gpkg_contents (
  table_name TEXT NOT NULL PRIMARY KEY,
  data_type TEXT NOT NULL,
  identifier TEXT UNIQUE,
  description TEXT DEFAULT '',
  last_change DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  min_x DOUBLE,
  min_y DOUBLE,
  max_x DOUBLE,
  max_y DOUBLE,
  srs_id INTEGER,
  CONSTRAINT fk_gc_r_srs_id FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys(srs_id)
);
CREATE TABLE gpkg_geometry_columns (
  table_name TEXT NOT NULL,
  column_name TEXT NOT NULL,
  geometry_type_name TEXT NOT NULL,
  srs_id INTEGER NOT NULL,
  z TINYINT NOT NULL,
  m TINYINT NOT NULL,
  CONSTRAINT pk_geom_cols PRIMARY KEY (table_name, column_name),
  CONSTRAINT uk_gc_table_name UNIQUE (table_name),
  CONSTRAINT fk_gc_tn FOREIGN KEY (table_name) REFERENCES gpkg_contents(table_name),
  CONSTRAINT fk_gc_srs FOREIGN KEY (srs_id) REFERENCES gpkg_spatial_ref_sys (srs_id)
);
CREATE TABLE gpkg_extensions (
  table_name TEXT,
  column_name TEXT,
  extension_name TEXT NOT NULL,
  definition TEXT NOT NULL,
  scope TEXT NOT NULL,
  CONSTRAINT ge_tce UNIQUE (table_name, column_name, extension_name)
);`;

/** What is said of the whole file, as text of some kind. Source: OGC 12-128r18, F.8. */
const METADATA = `
CREATE TABLE gpkg_metadata (
  id INTEGER CONSTRAINT m_pk PRIMARY KEY ASC NOT NULL,
  md_scope TEXT NOT NULL DEFAULT 'dataset',
  md_standard_uri TEXT NOT NULL,
  mime_type TEXT NOT NULL DEFAULT 'text/xml',
  metadata TEXT NOT NULL DEFAULT ''
);
CREATE TABLE gpkg_metadata_reference (
  reference_scope TEXT NOT NULL,
  table_name TEXT,
  column_name TEXT,
  row_id_value INTEGER,
  timestamp DATETIME NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ','now')),
  md_file_id INTEGER NOT NULL,
  md_parent_id INTEGER,
  CONSTRAINT crmr_mfi_fk FOREIGN KEY (md_file_id) REFERENCES gpkg_metadata(id),
  CONSTRAINT crmr_mpi_fk FOREIGN KEY (md_parent_id) REFERENCES gpkg_metadata(id)
);`;

/** Styles beside what they are for. Source: OGC 18-101, styles extension. */
const STYLES = `
CREATE TABLE gpkgext_styles (
  id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
  style TEXT UNIQUE NOT NULL,
  title TEXT,
  description TEXT,
  uri TEXT UNIQUE NOT NULL
);
CREATE TABLE gpkgext_stylesheets (
  id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
  style_id INTEGER NOT NULL,
  format TEXT NOT NULL,
  stylesheet BLOB NOT NULL,
  CONSTRAINT fk_style FOREIGN KEY (style_id) REFERENCES gpkgext_styles(id)
);`;

/** Systems that every GeoPackage names. */
const SYSTEMS = `
INSERT INTO gpkg_spatial_ref_sys VALUES
  ('Undefined Cartesian SRS', -1, 'NONE', -1, 'undefined', 'undefined Cartesian coordinate reference system'),
  ('Undefined geographic SRS', 0, 'NONE', 0, 'undefined', 'undefined geographic coordinate reference system'),
  ('WGS 84 geodetic', 4326, 'EPSG', 4326, 'GEOGCS["WGS 84",DATUM["WGS_1984",SPHEROID["WGS 84",6378137,298.257223563,AUTHORITY["EPSG","7030"]],AUTHORITY["EPSG","6326"]],PRIMEM["Greenwich",0,AUTHORITY["EPSG","8901"]],UNIT["degree",0.0174532925199433,AUTHORITY["EPSG","9122"]],AUTHORITY["EPSG","4326"]]', 'longitude and latitude on WGS 84');`;

const EXTENSIONS = `
INSERT INTO gpkg_extensions VALUES
  ('gpkg_metadata', NULL, 'gpkg_metadata', 'http://www.geopackage.org/spec120/#extension_metadata', 'read-write'),
  ('gpkg_metadata_reference', NULL, 'gpkg_metadata', 'http://www.geopackage.org/spec120/#extension_metadata', 'read-write'),
  ('gpkgext_styles', NULL, 'im_portrayal', 'http://docs.opengeospatial.org/per/18-101.html', 'read-write'),
  ('gpkgext_stylesheets', NULL, 'im_portrayal', 'http://docs.opengeospatial.org/per/18-101.html', 'read-write'),
  ('${TABLE}', 'geom', 'gpkg_rtree_index', 'http://www.geopackage.org/spec120/#extension_rtree', 'write-only');`;

const COLUMN_TYPES = {
  text: "TEXT",
  integer: "INTEGER",
  number: "DOUBLE",
  boolean: "BOOLEAN",
} as const;

/** A name as SQL takes any. */
export const quoted = (name: string): string => `"${name.replaceAll('"', '""')}"`;

const columnText = ({ name, type }: Field): string => `${quoted(name)} ${COLUMN_TYPES[type]}`;

/** Tables of the index, as the database's own module of R-trees makes them. */
const INDEX_TABLES = `
CREATE TABLE "${INDEX}_node" (nodeno INTEGER PRIMARY KEY, data);
CREATE TABLE "${INDEX}_rowid" (rowid INTEGER PRIMARY KEY, nodeno);
CREATE TABLE "${INDEX}_parent" (nodeno INTEGER PRIMARY KEY, parentnode);`;

/** Everything that is there before the first feature. */
export const schemaOf = (fields: readonly Field[]): string =>
  [
    IDENTITY,
    CONTENTS,
    METADATA,
    STYLES,
    SYSTEMS,
    `CREATE TABLE ${TABLE} (fid INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL, geom MULTIPOLYGON, ${fields.map(columnText).join(", ")});`,
    EXTENSIONS,
    INDEX_TABLES,
  ].join("\n");

const BOUNDS = "ST_MinX(NEW.geom), ST_MaxX(NEW.geom), ST_MinY(NEW.geom), ST_MaxY(NEW.geom)";
const SET_BOUNDS =
  "minx = ST_MinX(NEW.geom), maxx = ST_MaxX(NEW.geom), miny = ST_MinY(NEW.geom), maxy = ST_MaxY(NEW.geom)";
const HAS = (row: "NEW" | "OLD") => `(${row}.geom NOT NULL AND NOT ST_IsEmpty(${row}.geom))`;
const LACKS = (row: "NEW" | "OLD") => `(${row}.geom ISNULL OR ST_IsEmpty(${row}.geom))`;

const trigger = (name: string, on: string, when: string, act: string): string =>
  `CREATE TRIGGER "${INDEX}_${name}" AFTER ${on} ON ${TABLE} WHEN ${when} BEGIN ${act} END;`;

/**
 * What keeps the index right when somebody edits the file. Source: OGC 12-128r18, F.3 (by programs
 * that have its functions of geometry, as all that edit GeoPackages have).
 */
export const TRIGGERS = [
  trigger(
    "insert",
    "INSERT",
    HAS("NEW"),
    `INSERT OR REPLACE INTO ${INDEX} VALUES (NEW.fid, ${BOUNDS});`,
  ),
  trigger(
    "update2",
    "UPDATE OF geom",
    `OLD.fid = NEW.fid AND ${LACKS("NEW")}`,
    `DELETE FROM ${INDEX} WHERE id = OLD.fid;`,
  ),
  trigger(
    "update4",
    "UPDATE",
    `OLD.fid != NEW.fid AND ${LACKS("NEW")}`,
    `DELETE FROM ${INDEX} WHERE id IN (OLD.fid, NEW.fid);`,
  ),
  trigger(
    "update5",
    "UPDATE",
    `OLD.fid != NEW.fid AND ${HAS("NEW")}`,
    `DELETE FROM ${INDEX} WHERE id = OLD.fid; INSERT OR REPLACE INTO ${INDEX} VALUES (NEW.fid, ${BOUNDS});`,
  ),
  trigger(
    "update6",
    "UPDATE OF geom",
    `OLD.fid = NEW.fid AND ${HAS("NEW")} AND ${HAS("OLD")}`,
    `UPDATE ${INDEX} SET ${SET_BOUNDS} WHERE id = NEW.fid;`,
  ),
  trigger(
    "update7",
    "UPDATE OF geom",
    `OLD.fid = NEW.fid AND ${HAS("NEW")} AND ${LACKS("OLD")}`,
    `INSERT INTO ${INDEX} VALUES (NEW.fid, ${BOUNDS});`,
  ),
  trigger("delete", "DELETE", "OLD.geom NOT NULL", `DELETE FROM ${INDEX} WHERE id = OLD.fid;`),
].join("\n");
