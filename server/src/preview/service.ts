import { Evaluator } from '@hindglance/core/graph/evaluator';
import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import { BLOCK, blockWindows, levelGrid } from '@hindglance/core/grid/grid';
import type { Cells } from '@hindglance/core/raster/block';
import { type Histogram, addToHistogram, emptyHistogram } from '@hindglance/core/raster/histogram';
import { stateStore } from '../db/nodes';
import { Database } from '../db/pool';
import { StoredSources } from '../eval/sources';

export interface TileTask { kind: 'tile'; node: NodeSpec; level: number; row: number; col: number; bands: number[] | null }
export interface HistogramTask { kind: 'histograms'; node: NodeSpec; ranges: [number, number][]; bins: number; maxCells: number }
export interface TileResult { type: ImageInfo['type']; bytes: Uint8Array }
export interface HistogramResult { histograms: Histogram[]; cells: number; cellsOfImage: number }

/** Computes previews: tiles and histograms of nodes. Lives in worker threads of the server, so that the page never waits for the event loop. */
export class PreviewService {
  private readonly evaluator: Evaluator;
  constructor(url: string, cacheBytes: number) {
    const db = new Database(url, 2);
    this.evaluator = new Evaluator({ sources: new StoredSources(db, cacheBytes), states: stateStore(db), preview: true });
  }

  /** Cells of a tile cut to the image, band after band. */
  async tile(t: TileTask): Promise<TileResult> {
    const info = await this.evaluator.info(t.node), g = levelGrid(info.grid, t.level);
    const window = { col: t.col * BLOCK, row: t.row * BLOCK, width: Math.min(BLOCK, g.width - t.col * BLOCK), height: Math.min(BLOCK, g.height - t.row * BLOCK) };
    const b = await this.evaluator.read(t.node, t.level, window);
    return { type: info.type, bytes: joined(t.bands ? t.bands.map((k) => b.bands[k]!) : b.bands) };
  }

  /**
   * Histograms of the bands of a node at full resolution, over cells that are not nodata. Large images are sampled by whole
   * blocks spread evenly, so that speckle and filters are those of the full image, not of an overview.
   */
  async histograms(t: HistogramTask): Promise<HistogramResult> {
    const info = await this.evaluator.info(t.node), windows = [...blockWindows(info.grid)];
    const every = Math.max(1, (info.grid.width * info.grid.height) / t.maxCells), out = t.ranges.map(([lo, hi]) => emptyHistogram(lo, hi, t.bins));
    let cells = 0;
    for (let k = 0; k < windows.length; k += every) {
      const w = windows[Math.floor(k)]!;
      const block = await this.evaluator.read(t.node, 0, w);
      out.forEach((h, b) => addToHistogram(h, block.bands[b]!));
      const first = block.bands[0]!;
      for (let i = 0; i < first.length; i++) { const v = first[i]!; if (v === v) cells++; }
    }
    return { histograms: out, cells, cellsOfImage: info.grid.width * info.grid.height };
  }
}

function joined(bands: Cells[]): Uint8Array {
  const out = new Uint8Array(bands.reduce((s, b) => s + b.byteLength, 0));
  let at = 0;
  for (const b of bands) { out.set(new Uint8Array(b.buffer, b.byteOffset, b.byteLength), at); at += b.byteLength; }
  return out;
}
