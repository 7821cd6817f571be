import { InputError } from "@hindglance/core/errors";
import type { MultiPolygon } from "@hindglance/core/vector/polygons";
import { type Box, NOWHERE, boxOf, joinedBox } from "./box";
import { type AreaFeature, type Features, type Field, type Value, shortNames } from "./features";
import type { Sink } from "./sink";

/** Letters of a field's name that dBASE keeps. */
const NAME_LETTERS = 10;
/** Bytes of a text that dBASE keeps. */
const TEXT_BYTES = 254;
/** Digits of a number, its sign and point among them. */
const NUMBER_BYTES = 19;
/** Digits of a whole number that every reader takes for one of 64 bits. */
const INTEGER_BYTES = 18;
const FIELD_BYTES = 32;
const POLYGON = 5;
const HEADER_BYTES = 100;
/** Sizes are told in words of 16 bits by a number of 31. */
const MOST_BYTES = 2 * 0x7fffffff;

/** WGS 84 as well-known text for the .prj file. */
export const WGS84_PRJ =
  'GEOGCS["GCS_WGS_1984",DATUM["D_WGS_1984",SPHEROID["WGS_1984",6378137.0,298.257223563]],PRIMEM["Greenwich",0.0],UNIT["Degree",0.0174532925199433]]';
/** The .cpg file: which letters texts are written in. */
export const UTF8_CPG = "UTF-8";

/** Files of a Shapefile that are written feature by feature. */
export interface ShapefileSinks {
  shp: Sink;
  shx: Sink;
  dbf: Sink;
}

function putBox(view: DataView, at: number, box: Box): void {
  box.forEach((value, k) => view.setFloat64(at + 8 * k, value, true));
}

/** A record of polygons: shells run with the clock here, holes against it. */
function recordOf(polygons: MultiPolygon): { bytes: Uint8Array; box: Box } {
  const rings = polygons.flat().map((ring) => ring.toReversed());
  const positions = rings.flat();
  const start = 44 + 4 * rings.length;
  const bytes = new Uint8Array(start + 16 * positions.length);
  const view = new DataView(bytes.buffer);
  const box = boxOf(positions);
  view.setInt32(0, POLYGON, true);
  putBox(view, 4, box);
  view.setInt32(36, rings.length, true);
  view.setInt32(40, positions.length, true);
  let first = 0;
  rings.forEach((ring, k) => {
    view.setInt32(44 + 4 * k, first, true);
    first += ring.length;
  });
  positions.forEach(([x, y], k) => {
    view.setFloat64(start + 16 * k, x, true);
    view.setFloat64(start + 16 * k + 8, y, true);
  });
  return { bytes, box };
}

/** The head of a .shp or .shx file of so many bytes. */
function headOf(bytes: number, box: Box): Uint8Array {
  const head = new Uint8Array(HEADER_BYTES);
  const view = new DataView(head.buffer);
  view.setInt32(0, 9994);
  view.setInt32(24, bytes / 2);
  view.setInt32(28, 1000, true);
  view.setInt32(32, POLYGON, true);
  putBox(view, 36, box[0] > box[2] ? [0, 0, 0, 0] : box);
  return head;
}

/** How a field is written in dBASE: its letter, its bytes and its decimals. */
function columnOf(field: Field): { letter: string; bytes: number; decimals: number } {
  switch (field.type) {
    case "text":
      return { letter: "C", bytes: Math.min(TEXT_BYTES, Math.max(1, field.longest)), decimals: 0 };
    case "boolean":
      return { letter: "L", bytes: 1, decimals: 0 };
    case "integer":
      return { letter: "N", bytes: INTEGER_BYTES, decimals: 0 };
    case "number":
      return { letter: "N", bytes: NUMBER_BYTES, decimals: field.decimals };
  }
}

/** The head of a .dbf file. */
function tableHead(fields: readonly Field[], records: number): Uint8Array {
  const names = shortNames(
    fields.map(({ name }) => name),
    NAME_LETTERS,
  );
  const bytes = new Uint8Array(33 + FIELD_BYTES * fields.length);
  const view = new DataView(bytes.buffer);
  const encoder = new TextEncoder();
  bytes[0] = 3;
  const today = new Date();
  bytes.set([today.getUTCFullYear() - 1900, today.getUTCMonth() + 1, today.getUTCDate()], 1);
  view.setUint32(4, records, true);
  view.setUint16(8, bytes.length, true);
  view.setUint16(10, 1 + fields.reduce((sum, field) => sum + columnOf(field).bytes, 0), true);
  fields.forEach((field, k) => {
    const at = 32 + FIELD_BYTES * k;
    const { letter, bytes: width, decimals } = columnOf(field);
    bytes.set(encoder.encode(names[k]), at);
    bytes.set(encoder.encode(letter), at + 11);
    bytes[at + 16] = width;
    bytes[at + 17] = decimals;
  });
  bytes[bytes.length - 1] = 0x0d;
  return bytes;
}

/** The longest beginning of a text that so many UTF-8 bytes hold, without half a letter at its end. */
function cutTo(text: string, most: number): Uint8Array {
  const bytes = new TextEncoder().encode(text);
  let end = Math.min(bytes.length, most);
  while (end < bytes.length && (bytes[end]! & 0xc0) === 0x80) {
    end--;
  }
  return bytes.subarray(0, end);
}

/** A value as text of its column; blank where nothing is known, stars where it has too many digits. */
function cellText(field: Field, value: Value): string {
  if (value === null) {
    return "";
  }
  if (field.type === "boolean") {
    return value ? "T" : "F";
  }
  if (field.type === "text") {
    return String(value);
  }
  const text = Number(value).toFixed(field.type === "number" ? field.decimals : 0);
  const { bytes } = columnOf(field);
  return text.length > bytes ? "*".repeat(bytes) : text;
}

/** A record of the .dbf file: texts at the left of their columns, numbers at the right. */
function rowOf(fields: readonly Field[], values: readonly Value[]): Uint8Array {
  const columns = fields.map(columnOf);
  const row = new Uint8Array(1 + columns.reduce((sum, { bytes }) => sum + bytes, 0)).fill(0x20);
  let at = 1;
  fields.forEach((field, k) => {
    const { bytes: width, letter } = columns[k]!;
    const cell = cutTo(cellText(field, values[k] ?? null), width);
    row.set(cell, letter === "N" ? at + width - cell.length : at);
    at += width;
  });
  return row;
}

const concatenated = (parts: readonly Uint8Array[]): Uint8Array => Buffer.concat(parts);

/** The head of a record in .shp, and its line in .shx. */
function indexOf(number: number, at: number, length: number) {
  const head = new Uint8Array(8);
  new DataView(head.buffer).setInt32(0, number);
  new DataView(head.buffer).setInt32(4, length / 2);
  const line = new Uint8Array(8);
  new DataView(line.buffer).setInt32(0, at / 2);
  new DataView(line.buffer).setInt32(4, length / 2);
  return { head, line };
}

/**
 * Writes areas as a Shapefile (the published technical description of 1998; dBASE III tables): names of
 * fields in ten letters, texts in UTF-8 and at most 254 bytes, numbers of at most 19 digits. Nothing known
 * is blank. Beside it belong `WGS84_PRJ` and `UTF8_CPG`.
 * @returns how many features were written
 * @throws InputError where the format cannot hold them: over 4 GB, or over 255 fields
 */
export async function writeShapefile(
  fields: readonly Field[],
  features: Features,
  { shp, shx, dbf }: ShapefileSinks,
): Promise<number> {
  if (fields.length > 255) {
    throw new InputError(`A Shapefile holds 255 fields, not ${fields.length}`, "fields");
  }
  let count = 0;
  let size = HEADER_BYTES;
  let box = NOWHERE;
  const shapes = (batch: readonly AreaFeature[]) => {
    const records: Uint8Array[] = [];
    const lines: Uint8Array[] = [];
    for (const { polygons } of batch) {
      const record = recordOf(polygons);
      const { head, line } = indexOf(++count, size, record.bytes.length);
      records.push(head, record.bytes);
      lines.push(line);
      size += 8 + record.bytes.length;
      box = joinedBox(box, record.box);
    }
    return { records, lines };
  };
  await Promise.all([shp.append(headOf(HEADER_BYTES, box)), shx.append(headOf(HEADER_BYTES, box))]);
  await dbf.append(tableHead(fields, 0));
  for await (const batch of features) {
    const { records, lines } = shapes(batch);
    if (size > MOST_BYTES) {
      throw new InputError(
        "The outlines need more than 4 GB, which a Shapefile cannot hold",
        "format",
        "Take GeoJSON or KMZ.",
      );
    }
    await shp.append(concatenated(records));
    await shx.append(concatenated(lines));
    await dbf.append(concatenated(batch.map(({ values }) => rowOf(fields, values))));
  }
  await dbf.append(Uint8Array.of(0x1a));
  await shp.overwrite(0, headOf(size, box));
  await shx.overwrite(0, headOf(HEADER_BYTES + 8 * count, box));
  await dbf.overwrite(0, tableHead(fields, count));
  return count;
}
