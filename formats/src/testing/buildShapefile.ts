/** Ring or line as pairs of numbers. */
type Row = [number, number][];

const HEADER = 100;

/** The header of a .shp or .shx file of so many bytes. */
function headerOf(kind: number, bytes: number): Buffer {
  const header = Buffer.alloc(HEADER);
  header.writeInt32BE(9994, 0);
  header.writeInt32BE(bytes / 2, 24);
  header.writeInt32LE(1000, 28);
  header.writeInt32LE(kind, 32);
  return header;
}

function recordOf(kind: number, rows: Row[], z: boolean): Buffer {
  if (rows.length === 0) {
    return Buffer.alloc(4);
  }
  const places = rows.flat();
  if (kind % 10 === 1) {
    const record = Buffer.alloc(20);
    record.writeInt32LE(kind, 0);
    record.writeDoubleLE(places[0]![0], 4);
    record.writeDoubleLE(places[0]![1], 12);
    return record;
  }
  const start = 44 + 4 * rows.length;
  const record = Buffer.alloc(start + 16 * places.length + (z ? 16 + 8 * places.length : 0));
  record.writeInt32LE(kind, 0);
  record.writeInt32LE(rows.length, 36);
  record.writeInt32LE(places.length, 40);
  let first = 0;
  rows.forEach((row, k) => {
    record.writeInt32LE(first, 44 + 4 * k);
    first += row.length;
  });
  places.forEach(([x, y], k) => {
    record.writeDoubleLE(x, start + 16 * k);
    record.writeDoubleLE(y, start + 16 * k + 8);
    if (z) {
      record.writeDoubleLE(100 + k, start + 16 * (places.length + 1) + 8 * k);
    }
  });
  return record;
}

/**
 * A .shp file by the published description of the format, apart from the reader. A record without
 * rows is one of nothing.
 *
 * @param kind 1 point, 3 lines, 5 polygons; ten more with heights of 100, 101 and so on
 */
export function buildShp(kind: number, records: Row[][]): Uint8Array {
  const parts = records.flatMap((rows, k) => {
    const content = recordOf(kind, rows, kind > 10);
    const head = Buffer.alloc(8);
    head.writeInt32BE(k + 1, 0);
    head.writeInt32BE(content.length / 2, 4);
    return [head, content];
  });
  const body = Buffer.concat(parts);
  return Uint8Array.from(Buffer.concat([headerOf(kind, HEADER + body.length), body]));
}

/**
 * A .dbf file of texts of twenty bytes each.
 *
 * @param encode bytes of a text in the encoding of the table
 */
export function buildDbf(
  fields: readonly string[],
  rows: readonly (readonly string[])[],
  encode: (text: string) => Buffer = (text) => Buffer.from(text),
): Uint8Array {
  const width = 20;
  const head = Buffer.alloc(33 + 32 * fields.length);
  head[0] = 3;
  head.writeUInt32LE(rows.length, 4);
  head.writeUInt16LE(head.length, 8);
  head.writeUInt16LE(1 + width * fields.length, 10);
  fields.forEach((field, k) => {
    head.write(field, 32 + 32 * k, "latin1");
    head.write("C", 32 + 32 * k + 11);
    head[32 + 32 * k + 16] = width;
  });
  head[head.length - 1] = 13;
  const body = rows.map((row) =>
    Buffer.concat([
      Buffer.from(" "),
      ...row.map((text) => Buffer.concat([encode(text), Buffer.alloc(width, 0x20)], width)),
    ]),
  );
  return Uint8Array.from(Buffer.concat([head, ...body, Buffer.from([0x1a])]));
}
