import { LRUCache } from 'lru-cache';
import type { SourceReader } from '@hindglance/core/graph/evaluator';
import type { ImageInfo } from '@hindglance/core/graph/image';
import { BLOCK, type Window, levelGrid } from '@hindglance/core/grid/grid';
import { type Block, type Cells, copyWindow, emptyCells } from '@hindglance/core/raster/block';
import { blockWindow, readBlocks } from '../db/blocks';
import { findImage } from '../db/images';
import type { Database } from '../db/pool';
import { notFound } from '../errors';

/** Cells of all bands of one block. */
type Bands = Cells[];

/** Reads stored images through a cache of decoded blocks; blocks that are missing are fetched in one COPY. */
export class StoredSources implements SourceReader {
  private readonly infos = new LRUCache<string, Promise<ImageInfo>>({ max: 200 });
  private readonly blocks: LRUCache<string, Promise<Bands>>;

  constructor(private readonly db: Database, cacheBytes: number) {
    // A block of two float bands is 2 MB; the size is not known before it is read, so places are counted.
    this.blocks = new LRUCache({ max: Math.max(8, Math.floor(cacheBytes / (BLOCK * BLOCK * 4 * 1.5))) });
  }

  info(image: string): Promise<ImageInfo> {
    let p = this.infos.get(image);
    if (!p) {
      p = this.db.withClient(async (c) => { const i = await findImage(c, image); if (!i) throw notFound('image'); return i.info; });
      this.infos.set(image, p);
      p.catch(() => this.infos.delete(image));
    }
    return p;
  }

  async read(image: string, level: number, w: Window): Promise<Block> {
    const info = await this.info(image), g = levelGrid(info.grid, level);
    const r0 = Math.floor(w.row / BLOCK), r1 = Math.floor((w.row + w.height - 1) / BLOCK), c0 = Math.floor(w.col / BLOCK), c1 = Math.floor((w.col + w.width - 1) / BLOCK);
    const want: { row: number; col: number; bands: Promise<Bands> }[] = [];
    let missing: { row: number; col: number }[] = [];
    for (let row = r0; row <= r1; row++) for (let col = c0; col <= c1; col++) if (!this.blocks.get(this.key(image, level, row, col))) missing.push({ row, col });
    if (missing.length) this.fetch(image, level, missing, info);
    missing = [];
    for (let row = r0; row <= r1; row++) for (let col = c0; col <= c1; col++) want.push({ row, col, bands: this.blocks.get(this.key(image, level, row, col)) ?? this.fetch(image, level, [{ row, col }], info)[0]! });
    const out = info.bands.map(() => emptyCells(info.type, w.width * w.height));
    for (const b of want) {
      const bands = await b.bands, from = blockWindow(b.row, b.col, g.width, g.height);
      bands.forEach((src, k) => copyWindow(src, from, out[k]!, w));
    }
    return { window: w, bands: out };
  }

  private key(image: string, level: number, row: number, col: number): string { return `${image}/${level}/${row}/${col}`; }

  /** Starts one read for a rectangle of blocks and puts its promises into the cache. */
  private fetch(image: string, level: number, wanted: { row: number; col: number }[], info: ImageInfo): Promise<Bands>[] {
    const rows = wanted.map((w) => w.row), cols = wanted.map((w) => w.col);
    const box = this.db.withClient((c) => readBlocks(c, image, level, Math.min(...rows), Math.max(...rows) + 1, Math.min(...cols), Math.max(...cols) + 1));
    box.catch(() => {});
    return wanted.map(({ row, col }) => {
      const key = this.key(image, level, row, col);
      const p = box.then((all) => info.bands.map((_b, k) => {
        const found = all.find((x) => x.row === row && x.col === col && x.band === k);
        if (!found) throw new Error(`Block ${key} of band ${k} is not stored`);
        return found.cells;
      }));
      this.blocks.set(key, p);
      p.catch(() => this.blocks.delete(key));
      return p;
    });
  }
}
