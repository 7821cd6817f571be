import type { Database } from "node-sqlite3-wasm";
import type { Box } from "../box";
import { packTree } from "../packedTree";
import { INDEX } from "./schema";

/** Cells of a full node, and bytes of a node: what the database's own module picks. */
const NODE_SIZE = 51;
const CELL_BYTES = 24;
const NODE_BYTES = 4 + NODE_SIZE * CELL_BYTES;

const single = new Float32Array(1);
const bits = new Int32Array(single.buffer);

/** The number of 32 bits next to one of 64, not above it. */
function floor32(value: number): number {
  single[0] = value;
  if (single[0] > value) {
    // One step towards minus infinity: numbers below nought have their sign bit apart.
    bits[0]! += single[0] > 0 ? -1 : 1;
  }
  return single[0];
}
const ceiling32 = (value: number): number => -floor32(-value);

/** A cell of a node: what it leads to, and its box rounded outwards. */
interface Cell {
  to: number;
  box: Box;
}

/** Bytes of a node; only the root tells how many levels lie below it. */
function nodeBytes(cells: readonly Cell[], depth: number): Uint8Array {
  const bytes = new Uint8Array(NODE_BYTES);
  const view = new DataView(bytes.buffer);
  view.setUint16(0, depth);
  view.setUint16(2, cells.length);
  cells.forEach(({ to, box: [west, south, east, north] }, k) => {
    const at = 4 + k * CELL_BYTES;
    view.setBigInt64(at, BigInt(to));
    view.setFloat32(at + 8, floor32(west));
    view.setFloat32(at + 12, ceiling32(east));
    view.setFloat32(at + 16, floor32(south));
    view.setFloat32(at + 20, ceiling32(north));
  });
  return bytes;
}

/** Adds the virtual table to the list of tables: the module that makes it is not in this build. */
function registerIndex(database: Database): void {
  const sql = `CREATE VIRTUAL TABLE "${INDEX}" USING rtree(id, minx, maxx, miny, maxy)`;
  database.exec("PRAGMA writable_schema = ON");
  database.run(
    "INSERT INTO sqlite_master (type, name, tbl_name, rootpage, sql) VALUES ('table', ?, ?, 0, ?)",
    [INDEX, INDEX, sql],
  );
  database.exec("PRAGMA writable_schema = OFF");
}

/**
 * Writes the index over areas that are numbered from 1: nodes as SQLite's module of R-trees keeps
 * them, packed along a curve. Source: the header comment of ext/rtree/rtree.c on its tables.
 */
export function writeIndex(database: Database, boxes: readonly Box[]): void {
  const node = database.prepare(`INSERT INTO "${INDEX}_node" VALUES (?, ?)`);
  const row = database.prepare(`INSERT INTO "${INDEX}_rowid" VALUES (?, ?)`);
  const parent = database.prepare(`INSERT INTO "${INDEX}_parent" VALUES (?, ?)`);
  if (boxes.length === 0) {
    node.run([1, nodeBytes([], 0)]);
  } else {
    const { order, levels } = packTree(boxes, NODE_SIZE);
    const depth = levels.length - 2;
    // Nodes are numbered from the root down; `first`: of the first one of the level.
    let first = 1;
    for (let level = levels.length - 1; level > 0; level--) {
      const below = levels[level - 1]!;
      const firstBelow = first + levels[level]!.length;
      for (let k = 0; k < levels[level]!.length; k++) {
        const number = first + k;
        const from = k * NODE_SIZE;
        const cells = below.slice(from, from + NODE_SIZE).map((box, j) => ({
          to: level === 1 ? order[from + j]! + 1 : firstBelow + from + j,
          box,
        }));
        node.run([number, nodeBytes(cells, number === 1 ? depth : 0)]);
        cells.forEach(({ to }) => (level === 1 ? row : parent).run([to, number]));
      }
      first = firstBelow;
    }
  }
  [node, row, parent].forEach((statement) => statement.finalize());
  registerIndex(database);
}
