import { Builder, type Offset } from "flatbuffers";
import type { ColumnMeta } from "flatgeobuf/lib/mjs/column-meta.js";
import { Column } from "flatgeobuf/lib/mjs/flat-geobuf/column.js";
import { ColumnType } from "flatgeobuf/lib/mjs/flat-geobuf/column-type.js";
import { Crs } from "flatgeobuf/lib/mjs/flat-geobuf/crs.js";
import { GeometryType } from "flatgeobuf/lib/mjs/flat-geobuf/geometry-type.js";
import { Header } from "flatgeobuf/lib/mjs/flat-geobuf/header.js";
import { buildFeature } from "flatgeobuf/lib/mjs/generic/feature.js";
import { parseGeometry } from "flatgeobuf/lib/mjs/geojson/geometry.js";
import type { HeaderMeta } from "flatgeobuf/lib/mjs/header-meta.js";
import type { Spool } from "../tiff/writeCog";
import { type Box, boxOf } from "./box";
import type { AreaFeature, Features, Field } from "./features";
import { type PackedTree, packTree } from "./packedTree";

/** The first bytes: its letters, its version, its letters again, its lesser version. */
const MAGIC = Uint8Array.of(0x66, 0x67, 0x62, 0x03, 0x66, 0x67, 0x62, 0x01);
const NODE_SIZE = 16;
const NODE_BYTES = 40;
/** Bytes that are given away at a time. */
const PART = 1 << 20;

const COLUMN_TYPES = {
  text: ColumnType.String,
  integer: ColumnType.Long,
  number: ColumnType.Double,
  boolean: ColumnType.Bool,
} as const;

/** What a file says of itself besides its features. */
export interface FlatGeobufOptions {
  name: string;
  description: string;
  fields: readonly Field[];
}

/** A feature that waits: where it stands in the spool, and its box. */
interface Waiting {
  at: number;
  length: number;
  box: Box;
}

const columnOf = ({ name, type }: Field): ColumnMeta => ({
  ...{ name, type: COLUMN_TYPES[type], title: null, description: null },
  ...{ width: -1, precision: -1, scale: -1, nullable: true, unique: false, primary_key: false },
});

const headerOf = (fields: readonly Field[]): HeaderMeta => ({
  ...{ geometryType: GeometryType.MultiPolygon, columns: fields.map(columnOf), envelope: null },
  ...{ featuresCount: 0, indexNodeSize: 0, crs: null },
  ...{ title: null, description: null, metadata: null },
});

function featureBytes(feature: AreaFeature, fields: readonly Field[], meta: HeaderMeta) {
  const geometry = parseGeometry({ type: "MultiPolygon", coordinates: feature.polygons });
  const properties = Object.fromEntries(fields.map(({ name }, k) => [name, feature.values[k]!]));
  return buildFeature(geometry, properties, meta);
}

function lonLat(builder: Builder): Offset {
  const [org, name] = [builder.createString("EPSG"), builder.createString("WGS 84")];
  Crs.startCrs(builder);
  Crs.addOrg(builder, org);
  Crs.addCode(builder, 4326);
  Crs.addName(builder, name);
  return Crs.endCrs(builder);
}

function columnBytes(builder: Builder, { name, type }: ColumnMeta): Offset {
  const said = builder.createString(name);
  Column.startColumn(builder);
  Column.addName(builder, said);
  Column.addType(builder, type);
  return Column.endColumn(builder);
}

/** The header; one without features has no index and no envelope. */
function headerBytes(options: FlatGeobufOptions, meta: HeaderMeta, tree: PackedTree | null) {
  const builder = new Builder();
  const name = builder.createString(options.name);
  const description = builder.createString(options.description);
  const columns = Header.createColumnsVector(
    builder,
    meta.columns!.map((column) => columnBytes(builder, column)),
  );
  const crs = lonLat(builder);
  const envelope = tree && Header.createEnvelopeVector(builder, [...tree.levels.at(-1)![0]!]);
  Header.startHeader(builder);
  Header.addName(builder, name);
  Header.addDescription(builder, description);
  if (envelope !== null) {
    Header.addEnvelope(builder, envelope);
  }
  Header.addGeometryType(builder, meta.geometryType);
  Header.addColumns(builder, columns);
  Header.addFeaturesCount(builder, BigInt(tree ? tree.order.length : 0));
  Header.addIndexNodeSize(builder, tree ? NODE_SIZE : 0);
  Header.addCrs(builder, crs);
  builder.finishSizePrefixed(Header.endHeader(builder));
  return builder.asUint8Array();
}

/**
 * The index: nodes from the root to the leaves. A leaf tells where its feature begins, counted from
 * the first feature; any other node which node is its first child.
 */
function indexBytes({ levels, order }: PackedTree, waiting: readonly Waiting[]): Uint8Array {
  const count = levels.reduce((sum, { length }) => sum + length, 0);
  const bytes = new Uint8Array(count * NODE_BYTES);
  const view = new DataView(bytes.buffer);
  let node = 0;
  const put = (box: Box, offset: number) => {
    box.forEach((value, k) => view.setFloat64(node * NODE_BYTES + 8 * k, value, true));
    view.setBigUint64(node * NODE_BYTES + 32, BigInt(offset), true);
    node++;
  };
  for (const boxes of levels.slice(1).reverse()) {
    const below = node + boxes.length;
    boxes.forEach((box, k) => put(box, below + k * NODE_SIZE));
  }
  let at = 0;
  for (const item of order) {
    put(waiting[item]!.box, at);
    at += waiting[item]!.length;
  }
  return bytes;
}

/** Features from where they wait, in the order of the index, in parts of some size. */
async function* inOrder(tree: PackedTree, waiting: readonly Waiting[], spool: Spool) {
  let part: Uint8Array[] = [];
  let size = 0;
  for (const item of tree.order) {
    const { at, length } = waiting[item]!;
    part.push(await spool.read(at, length));
    size += length;
    if (size >= PART) {
      yield Buffer.concat(part);
      [part, size] = [[], 0];
    }
  }
  yield Buffer.concat(part);
}

/**
 * Areas as FlatGeobuf, version 3, in longitude and latitude, with the packed R-tree by which readers
 * find those of a box. Source: the format's own specification and its published schema.
 * @param spool where features wait until their order is known
 */
export async function* writeFlatGeobuf(
  options: FlatGeobufOptions,
  features: Features,
  spool: Spool,
): AsyncGenerator<Uint8Array> {
  const meta = headerOf(options.fields);
  const waiting: Waiting[] = [];
  let at = 0;
  for await (const some of features) {
    const all = some.map((feature) => featureBytes(feature, options.fields, meta));
    all.forEach(({ length }, k) => {
      waiting.push({ at, length, box: boxOf(some[k]!.polygons.flat(2)) });
      at += length;
    });
    await spool.append(Buffer.concat(all));
  }
  yield MAGIC;
  const boxes = waiting.map(({ box }) => box);
  const tree = boxes.length > 0 ? packTree(boxes, NODE_SIZE) : null;
  yield headerBytes(options, meta, tree);
  if (tree) {
    yield indexBytes(tree, waiting);
    yield* inOrder(tree, waiting, spool);
  }
}
