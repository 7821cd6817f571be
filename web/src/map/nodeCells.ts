import { levelGrid, toCell } from "@hindglance/core/grid/grid";
import type { NodeView } from "../api/types";

export interface Tile {
  width: number;
  height: number;
  bands: (Float32Array | Uint8Array)[];
}

const KEEP = 160;

/**
 * Cells of a node as the server has them, tile by tile; what was fetched is kept for reading values
 * under the cursor.
 */
export class NodeCells {
  private readonly tiles = new Map<string, Promise<Tile>>();
  private readonly ready = new Map<string, Tile>();
  constructor(
    readonly node: NodeView,
    private readonly fetcher: typeof fetch = (...a) => fetch(...a),
  ) {}

  tile(level: number, row: number, col: number, signal?: AbortSignal): Promise<Tile> {
    const key = `${level}/${row}/${col}`;
    let p = this.tiles.get(key);
    if (!p) {
      p = this.load(level, row, col, signal);
      this.tiles.set(key, p);
      p.then(
        (t) => {
          this.ready.set(key, t);
        },
        () => this.tiles.delete(key),
      );
      while (this.tiles.size > KEEP) {
        const old = this.tiles.keys().next().value!;
        this.tiles.delete(old);
        this.ready.delete(old);
      }
    }
    return p;
  }

  private async load(level: number, row: number, col: number, signal?: AbortSignal): Promise<Tile> {
    const { hash, info, block } = this.node;
    const g = levelGrid(info.grid, level);
    const width = Math.min(block, g.width - col * block);
    const height = Math.min(block, g.height - row * block);
    const n = width * height;
    const r = await this.fetcher(`/api/nodes/${hash}/tiles/${level}/${row}/${col}`, { signal });
    if (!r.ok) {
      throw new Error(`Tile ${level}/${row}/${col}: status ${r.status}`);
    }
    const b = await r.arrayBuffer();
    const size = info.type === "float32" ? 4 : 1;
    if (b.byteLength !== n * size * info.bands.length) {
      throw new Error(
        `Tile ${level}/${row}/${col} has ${b.byteLength} bytes, not ${n * size * info.bands.length}`,
      );
    }
    return {
      width,
      height,
      bands: info.bands.map((_x, k) =>
        size === 4 ? new Float32Array(b, k * n * 4, n) : new Uint8Array(b, k * n, n),
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
        const t = this.ready.get(`${level}/${row}/${col}`);
        const b = t?.bands[band];
        if (!t || !b) {
          continue;
        }
        const c0 = Math.max(0, w.col - col * block);
        const c1 = Math.min(t.width, w.col + w.width - col * block);
        const r1 = Math.min(t.height, w.row + w.height - row * block);
        for (let r = Math.max(0, w.row - row * block); r < r1; r++) {
          for (let c = c0; c < c1; c++) {
            out.push(b[r * t.width + c]!);
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
      const g = levelGrid(info.grid, level);
      const [c, r] = toCell(g, x, y).map(Math.floor) as [number, number];
      if (c < 0 || r < 0 || c >= g.width || r >= g.height) {
        return null;
      }
      const col = Math.floor(c / block);
      const row = Math.floor(r / block);
      const t = this.ready.get(`${level}/${row}/${col}`);
      if (t) {
        return {
          values: t.bands.map((b) => b[(r - row * block) * t.width + c - col * block]!),
          level,
        };
      }
    }
    return null;
  }
}
