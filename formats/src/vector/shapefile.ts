import parseDbf from "parsedbf";
import type { Coordinates, Feature, Geometry } from "@hindglance/core/vector/features";
import { isInside } from "@hindglance/core/vector/crossings";
import { FormatError } from "../errors";
import { type VectorFile, type VectorLayer, stemOf } from "./layer";

const AGAIN = "Fetch or copy the files again.";
/** Number that a Shapefile begins with. */
const MAGIC = 9994;
const HEADER = 100;

/** What the records of a Shapefile are, by their number without heights or measures. */
const KINDS: Record<number, "none" | "point" | "points" | "line" | "polygon"> = {
  0: "none",
  1: "point",
  3: "line",
  5: "polygon",
  8: "points",
};
/** Numbers of kinds with heights and with measures are those of the plain ones and ten, or twenty, more. */
const PLAIN = 10;

const cutOff = (name: string) => new FormatError("truncated", `${name} is cut off`, AGAIN);

/** Reads the records of a .shp file. */
class Records {
  private readonly view: DataView;

  constructor(
    private readonly name: string,
    bytes: Uint8Array,
  ) {
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    if (bytes.length < HEADER || this.view.getInt32(0) !== MAGIC) {
      throw new FormatError("damaged", `${name} is no Shapefile: it does not begin like one`);
    }
  }

  /** Geometries in their order; null for a record of nothing. @throws FormatError */
  *all(): Generator<Geometry | null> {
    const { view } = this;
    for (let at = HEADER; at < view.byteLength;) {
      if (at + 12 > view.byteLength) {
        throw cutOff(this.name);
      }
      const length = 2 * view.getInt32(at + 4);
      if (length < 4 || at + 8 + length > view.byteLength) {
        throw cutOff(this.name);
      }
      yield this.geometryAt(at + 8, length);
      at += 8 + length;
    }
  }

  private geometryAt(at: number, length: number): Geometry | null {
    const number = this.view.getInt32(at, true);
    const kind = KINDS[number % PLAIN];
    if (kind === undefined || number > 3 * PLAIN) {
      throw new FormatError(
        "unsupported",
        `${this.name} holds records of kind ${number}, which are none of points, lines and polygons`,
      );
    }
    const hasZ = number > PLAIN && number < 2 * PLAIN;
    const end = at + length;
    switch (kind) {
      case "none":
        return null;
      case "point": {
        const [place] = this.places(at + 4, 1, end);
        const z = hasZ && length >= 28 ? [this.view.getFloat64(at + 20, true)] : [];
        return { type: "Point", coordinates: [...place!, ...z] };
      }
      case "points": {
        const count = this.view.getInt32(at + 36, true);
        const places = this.places(at + 40, count, end);
        return { type: "MultiPoint", coordinates: this.lifted(places, at + 40, hasZ, end) };
      }
      default: {
        const rows = this.rows(at, hasZ, end);
        return kind === "polygon"
          ? { type: "MultiPolygon", coordinates: polygonsFrom(rows) }
          : { type: "MultiLineString", coordinates: rows };
      }
    }
  }

  /** @throws FormatError where they do not fit into the record */
  private places(at: number, count: number, end: number): Coordinates[] {
    if (count < 0 || at + 16 * count > end) {
      throw cutOff(this.name);
    }
    return Array.from({ length: count }, (_v, k) => [
      this.view.getFloat64(at + 16 * k, true),
      this.view.getFloat64(at + 16 * k + 8, true),
    ]);
  }

  /** Places with their heights, which stand behind all of them and the two outermost. */
  private lifted(places: Coordinates[], at: number, hasZ: boolean, end: number): Coordinates[] {
    const first = at + 16 * places.length + 16;
    if (!hasZ || first + 8 * places.length > end) {
      return places;
    }
    return places.map((place, k) => [...place, this.view.getFloat64(first + 8 * k, true)]);
  }

  /** Lines or rings of a record. */
  private rows(at: number, hasZ: boolean, end: number): Coordinates[][] {
    const parts = this.view.getInt32(at + 36, true);
    const count = this.view.getInt32(at + 40, true);
    const first = at + 44 + 4 * parts;
    if (parts < 0 || first > end) {
      throw cutOff(this.name);
    }
    const places = this.lifted(this.places(first, count, end), first, hasZ, end);
    const starts = Array.from({ length: parts }, (_v, k) =>
      this.view.getInt32(at + 44 + 4 * k, true),
    );
    return starts.map((start, k) => places.slice(start, starts[k + 1] ?? count));
  }
}

/** Twice the area of a ring, above zero where it goes around clockwise. */
const clockwise = (ring: readonly Coordinates[]): number =>
  ring.reduce((sum, [x, y], k) => {
    const [x2, y2] = ring[(k + 1) % ring.length]!;
    return sum + (x2! - x!) * (y2! + y!);
  }, 0);

type Rings = Coordinates[][];

/** Polygons of rings whose shells go around in one direction, and the holes that lie in none. */
function assigned(rings: Rings, way: 1 | -1): { polygons: Rings[]; lost: Rings } {
  const sizes = new Map(rings.map((ring) => [ring, way * clockwise(ring)] as const));
  const sizeOf = (ring: Coordinates[]) => sizes.get(ring)!;
  const polygons = rings.filter((ring) => sizeOf(ring) >= 0).map((shell) => [shell]);
  const lost: Rings = [];
  for (const hole of rings.filter((ring) => sizeOf(ring) < 0)) {
    const [smallest] = polygons
      .filter(([shell]) => sizeOf(shell!) >= -sizeOf(hole))
      .filter(([shell]) => hole.some((at) => isInside(at, shell!)))
      .sort(([a], [b]) => sizeOf(a!) - sizeOf(b!));
    (smallest ?? lost).push(hole);
  }
  return { polygons, lost };
}

/**
 * Rings as polygons: shells go around clockwise, the others are holes of the smallest shell that they
 * lie in. Where that leaves a hole in no shell, and the other direction leaves none, the file minds
 * no direction. A hole that is in no shell either way stays with the first one, to be told of.
 */
function polygonsFrom(rings: Rings): Rings[] {
  const usual = assigned(rings, 1);
  if (usual.lost.length === 0) {
    return usual.polygons;
  }
  const turned = assigned(rings, -1);
  if (turned.lost.length === 0) {
    return turned.polygons;
  }
  const [first, ...others] = usual.polygons;
  return [[...(first ?? []), ...usual.lost], ...others];
}

/** Encodings by the language number of a .dbf file, where there is no .cpg. */
const LANGUAGES: Record<number, string> = {
  0x03: "windows-1252",
  0x57: "windows-1252",
  0xc8: "windows-1250",
  0xc9: "windows-1251",
  0xcb: "windows-1253",
};

/** Encodings by the numbers that .cpg files have for them, where those are not in their names. */
const PAGES: Record<string, string> = {
  88591: "iso-8859-1",
  885915: "iso-8859-15",
  65001: "utf-8",
};

/** The encoding of a table: as its .cpg says, its language number, or as its texts can be read. */
function encodingOf(bytes: Uint8Array, cpg: VectorFile | undefined): string {
  const said = cpg && new TextDecoder().decode(cpg.bytes).trim();
  if (said) {
    return PAGES[said.replace(/\D/g, "")] ?? said.replace(/^0*(\d{3,4})$/, "ANSI $1");
  }
  const byLanguage = LANGUAGES[bytes[29] ?? 0];
  if (byLanguage) {
    return byLanguage;
  }
  try {
    new TextDecoder("utf-8", { fatal: true }).decode(bytes.subarray(32));
    return "utf-8";
  } catch {
    return "windows-1252";
  }
}

/** A value of a table; days as text, numbers that are none as null. */
function valueOf(value: unknown): unknown {
  if (value instanceof Date) {
    const [year, month, day] = [value.getFullYear(), value.getMonth() + 1, value.getDate()];
    const two = (part: number) => String(part).padStart(2, "0");
    // A day that is not there is written as zeros, which come out as the day before 1900 began.
    return Number.isNaN(year) || year < 1900 ? null : `${year}-${two(month)}-${two(day)}`;
  }
  return Number.isNaN(value) ? null : value;
}

/** Rows of the table beside the geometries. @throws FormatError where it is cut off */
function rowsOf(dbf: VectorFile, cpg: VectorFile | undefined): Record<string, unknown>[] {
  const { name } = dbf;
  const bytes = Uint8Array.from(dbf.bytes);
  const view = new DataView(bytes.buffer);
  if (bytes.length < 33) {
    throw cutOff(name);
  }
  const [records, header, length] = [
    view.getUint32(4, true),
    view.getUint16(8, true),
    view.getUint16(10, true),
  ];
  // The last row may lack the byte that marks the end.
  if (header < 33 || length < 1 || header + records * length > bytes.length + 1) {
    throw cutOff(name);
  }
  return parseDbf(view, encodingOf(bytes, cpg)).map((row) =>
    Object.fromEntries(Object.entries(row).map(([field, value]) => [field, valueOf(value)])),
  );
}

const endingWith = (files: readonly VectorFile[], ending: string): VectorFile | undefined =>
  files.find(({ name }) => name.toLowerCase().endsWith(ending));

/**
 * A Shapefile of its parts: geometries (.shp), and where they are there the table (.dbf), its
 * encoding (.cpg) and the coordinate system (.prj). Measures are left out.
 *
 * @param files parts of one Shapefile
 * @throws FormatError where the .shp is missing, a part is cut off, or the table does not fit
 */
export function readShapefile(files: readonly VectorFile[]): VectorLayer {
  const [shp, dbf, prj] = [".shp", ".dbf", ".prj"].map((ending) => endingWith(files, ending));
  if (!shp) {
    throw new FormatError(
      "incomplete",
      `${files[0]!.name} is a part of a Shapefile, and its .shp is not there`,
      "Pick .shp, .shx, .dbf and .prj together, or a zip of them.",
    );
  }
  const geometries = [...new Records(shp.name, shp.bytes).all()];
  const rows = dbf ? rowsOf(dbf, endingWith(files, ".cpg")) : [];
  if (dbf && rows.length !== geometries.length) {
    throw new FormatError(
      "contradictory",
      `${shp.name} has ${geometries.length} records, ${dbf.name} has ${rows.length}`,
      AGAIN,
    );
  }
  const text = prj ? new TextDecoder().decode(prj.bytes).trim() : "";
  return {
    name: stemOf(shp.name),
    system: text ? { wkt: text } : null,
    features: geometries.map((geometry, k): Feature => ({ properties: rows[k] ?? {}, geometry })),
  };
}
