import { LRUCache } from "lru-cache";
import limit from "p-limit";
import { levelGrid, toCell } from "@hindglance/core/grid/grid";
import type { NodeView } from "../api/types";

export interface Tile {
  width: number;
  height: number;
  bands: (Float32Array | Uint8Array)[];
}

const sizeOf = ({ bands }: Tile): number => bands.reduce((sum, band) => sum + band.byteLength, 0);

/** Bytes of tiles that a page keeps, of all nodes together: those that were used last. */
const TILE_BYTES = 192 << 20;
const ready = new LRUCache<string, Tile>({ maxSize: TILE_BYTES, sizeCalculation: sizeOf });

/**
 * Tiles are on their way for as many at once, whatever the number of maps and of pages that a browser
 * has open: it opens six connections to a server, each page hears of changes on one, and settings
 * must not wait behind a picture.
 */
const AT_ONCE = 3;
const inTurn = limit(AT_ONCE);
const lanes = Array.from({ length: AT_ONCE }, (_, k) => k);

/** Does work in a lane that no other page of this browser is in. */
async function inLane<T>(work: () => Promise<T>, signal?: AbortSignal): Promise<T> {
  const lane = lanes.pop()!;
  try {
    // Only pages that came over a safe connection or from this machine can know of each other.
    const locks = (globalThis.navigator as Partial<Navigator> | undefined)?.locks;
    return locks
      ? await locks.request(`tiles ${lane}`, signal ? { signal } : {}, work)
      : await work();
  } finally {
    lanes.push(lane);
  }
}

/** Fetches bytes from an address. */
export type Fetcher = (
  address: string,
  init: { signal?: AbortSignal; priority?: RequestPriority },
) => Promise<{ ok: boolean; status: number; arrayBuffer(): Promise<ArrayBufferLike> }>;

/**
 * Cells of a node as the server has them, tile by tile; what was fetched last is kept for reading
 * values under the cursor.
 */
export class NodeCells {
  /** Tiles that are on their way. */
  private readonly coming = new Map<string, Promise<Tile>>();
  constructor(
    readonly node: NodeView,
    private readonly fetcher: Fetcher = (address, init) => fetch(address, init),
  ) {}

  private keyOf(level: number, row: number, col: number): string {
    return `${this.node.hash}/${level}/${row}/${col}`;
  }

  tile(level: number, row: number, col: number, signal?: AbortSignal): Promise<Tile> {
    const key = this.keyOf(level, row, col);
    const there = ready.get(key);
    if (there) {
      return Promise.resolve(there);
    }
    const coming = this.coming.get(key);
    if (coming) {
      return coming;
    }
    const loading = this.load(level, row, col, signal)
      .then((tile) => {
        ready.set(key, tile);
        return tile;
      })
      .finally(() => this.coming.delete(key));
    this.coming.set(key, loading);
    return loading;
  }

  private async load(level: number, row: number, col: number, signal?: AbortSignal): Promise<Tile> {
    const { hash, info, block } = this.node;
    const grid = levelGrid(info.grid, level);
    const width = Math.min(block, grid.width - col * block);
    const height = Math.min(block, grid.height - row * block);
    const n = width * height;
    const ask = async (): Promise<ArrayBufferLike> => {
      // What nobody looks at any more is not asked for when its turn comes.
      signal?.throwIfAborted();
      const address = `/api/nodes/${hash}/tiles/${level}/${row}/${col}`;
      const response = await this.fetcher(address, { signal, priority: "low" });
      if (!response.ok) {
        throw new Error(`Tile ${level}/${row}/${col}: status ${response.status}`);
      }
      return response.arrayBuffer();
    };
    const buffer = await inTurn(() => inLane(ask, signal));
    const size = info.type === "float32" ? 4 : 1;
    if (buffer.byteLength !== n * size * info.bands.length) {
      throw new Error(
        `Tile ${level}/${row}/${col} has ${buffer.byteLength} bytes, not ${n * size * info.bands.length}`,
      );
    }
    return {
      width,
      height,
      bands: info.bands.map((_x, k) =>
        size === 4 ? new Float32Array(buffer, k * n * 4, n) : new Uint8Array(buffer, k * n, n),
      ),
    };
  }

  /** Values of a band in a window of a level, as far as its tiles are loaded. */
  valuesIn(
    level: number,
    w: { col: number; row: number; width: number; height: number },
    band: number,
  ): number[] {
    const { block } = this.node;
    const out: number[] = [];
    for (let row = Math.floor(w.row / block); row * block < w.row + w.height; row++) {
      for (let col = Math.floor(w.col / block); col * block < w.col + w.width; col++) {
        const tile = ready.peek(this.keyOf(level, row, col));
        const b = tile?.bands[band];
        if (!tile || !b) {
          continue;
        }
        const c0 = Math.max(0, w.col - col * block);
        const c1 = Math.min(tile.width, w.col + w.width - col * block);
        const r1 = Math.min(tile.height, w.row + w.height - row * block);
        for (let r = Math.max(0, w.row - row * block); r < r1; r++) {
          for (let c = c0; c < c1; c++) {
            out.push(b[r * tile.width + c]!);
          }
        }
      }
    }
    return out;
  }

  /**
   * Values of all bands at a place, from the finest level that is loaded there; null where nothing
   * is.
   */
  valueAt(x: number, y: number): { values: number[]; level: number } | null {
    const { info, levels, block } = this.node;
    for (let level = 0; level < levels; level++) {
      const grid = levelGrid(info.grid, level);
      const [across, down] = toCell(grid, x, y);
      const c = Math.floor(across);
      const r = Math.floor(down);
      if (c < 0 || r < 0 || c >= grid.width || r >= grid.height) {
        return null;
      }
      const col = Math.floor(c / block);
      const row = Math.floor(r / block);
      const tile = ready.peek(this.keyOf(level, row, col));
      if (tile) {
        return {
          values: tile.bands.map((band) => band[(r - row * block) * tile.width + c - col * block]!),
          level,
        };
      }
    }
    return null;
  }
}

const KEPT_NODES = 24;
const kept = new Map<string, NodeCells>();

/** The cells of a node; the same ones for everybody who asks while the node is in use. */
export function cellsOf(node: NodeView): NodeCells {
  // A node in sensor geometry lies on the map in another way than by itself.
  const key = `${node.hash} ${node.info.grid.transform.join()}`;
  const cells = kept.get(key) ?? new NodeCells(node);
  // Last in the order are those that were asked for last.
  kept.delete(key);
  kept.set(key, cells);
  if (kept.size > KEPT_NODES) {
    kept.delete(kept.keys().next().value!);
  }
  return cells;
}
