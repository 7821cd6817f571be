import { LRUCache } from "lru-cache";
import { egm96 } from "@hindglance/core/geodesy/egm96";
import { nameGeoid } from "@hindglance/core/geodesy/geoid";
import { InputError } from "@hindglance/core/errors";
import type { ProductLuts } from "@hindglance/core/radar/luts";
import type { SourceReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, type Window, intersect, levelGrid } from "@hindglance/core/grid/grid";
import { type Block, type Cells, copyWindow, emptyCells } from "@hindglance/core/raster/block";
import { type BlockRequest, blockWindow, readBlockParts } from "../db/blocks";
import { findImage } from "../db/images";
import { findLuts } from "../db/products";
import type { Database } from "../db/pool";
import { notFound } from "../errors";

// Whoever reads stored images may have to bring heights to the ellipsoid.
nameGeoid(egm96);

/** Cells of all bands of one block. */
type Bands = Cells[];

/**
 * Reads stored images through a cache of decoded blocks; blocks that are missing are fetched in one
 * COPY.
 */
export class StoredSources implements SourceReader {
  private readonly infos = new LRUCache<string, Promise<ImageInfo>>({ max: 200 });
  private readonly tables = new LRUCache<string, Promise<ProductLuts>>({ max: 12 });
  private readonly blocks: LRUCache<string, Promise<Bands>>;

  constructor(
    private readonly db: Database,
    cacheBytes: number,
  ) {
    // The promise of a block counts with the bytes that its bands will have.
    this.blocks = new LRUCache({ maxSize: Math.max(cacheBytes, 32 << 20) });
  }

  /** What steps see of an image. */
  async info(image: string): Promise<ImageInfo> {
    const { stored: _stored, ...info } = await this.row(image);
    return info;
  }

  private row(image: string): Promise<ImageInfo> {
    let p = this.infos.get(image);
    if (!p) {
      p = this.db.withClient(async (c) => {
        const i = await findImage(c, image);
        if (!i) {
          throw notFound("image");
        }
        return i.info;
      });
      this.infos.set(image, p);
      p.catch(() => this.infos.delete(image));
    }
    return p;
  }

  async read(image: string, level: number, w: Window): Promise<Block> {
    const info = await this.row(image);
    const g = levelGrid(info.grid, level);
    const wanted: Wanted[] = [];
    const missing: Wanted[] = [];
    for (let row = Math.floor(w.row / BLOCK); row * BLOCK < w.row + w.height; row++) {
      for (let col = Math.floor(w.col / BLOCK); col * BLOCK < w.col + w.width; col++) {
        const at = blockWindow(row, col, g.width, g.height);
        const need = intersect(at, w)!;
        const key = `${image}/${level}/${row}/${col}`;
        const held = this.blocks.get(key);
        // A halo takes a few rows of the blocks above and below: only those are fetched, and not
        // kept.
        const x: Wanted = {
          row,
          col,
          key,
          from:
            need.height <= THIN_ROWS && need.height < at.height
              ? { ...at, row: need.row, height: need.height }
              : at,
          whole: need.height > THIN_ROWS || need.height === at.height,
          bands: held,
        };
        if (held) {
          x.from = at;
          x.whole = true;
        } else {
          missing.push(x);
        }
        wanted.push(x);
      }
    }
    if (missing.length) {
      this.fetch(image, level, missing, info);
    }
    const out = info.bands.map(() => emptyCells(info.type, w.width * w.height));
    for (const b of wanted) {
      (await b.bands!).forEach((src, k) => copyWindow(src, b.from, out[k]!, w));
    }
    return { window: w, bands: out };
  }

  async luts(image: string): Promise<ProductLuts> {
    let p = this.tables.get(image);
    if (!p) {
      p = this.db.withClient(async (c) => {
        const l = await findLuts(c, image);
        if (!l) {
          throw new InputError(
            "This scene is not a product with look-up tables: its numbers cannot be calibrated",
            "inputs",
          );
        }
        return l;
      });
      this.tables.set(image, p);
      p.catch(() => this.tables.delete(image));
    }
    return p;
  }

  /** Starts one read for all that is missing, and puts promises of whole blocks into the cache. */
  private fetch(image: string, level: number, missing: Wanted[], info: ImageInfo): void {
    const requests = missing.map((x): BlockRequest => {
      const box = { row0: x.row, row1: x.row + 1, col0: x.col, col1: x.col + 1 };
      return x.whole
        ? box
        : {
            ...box,
            skip: (x.from.row - x.row * BLOCK) * x.from.width,
            count: x.from.height * x.from.width,
          };
    });
    const all = this.db.withClient((c) =>
      readBlockParts(
        c,
        image,
        level,
        joined(requests),
        level === 0 && info.stored ? info.stored : "float32",
      ),
    );
    all.catch(() => {});
    for (const x of missing) {
      x.bands = all.then((found) =>
        info.bands.map((_b, k) => {
          const f = found.find((y) => y.row === x.row && y.col === x.col && y.band === k);
          if (!f) {
            throw new Error(`Block ${x.key} of band ${k} is not stored`);
          }
          return f.cells;
        }),
      );
      x.bands.catch(() => this.blocks.delete(x.key));
      if (x.whole) {
        this.blocks.set(x.key, x.bands, {
          size:
            info.bands.length * x.from.width * x.from.height * (info.type === "float32" ? 4 : 1),
        });
      }
    }
  }
}

/** One block of a read: where its cells lie, and whether all of them are fetched. */
interface Wanted {
  row: number;
  col: number;
  key: string;
  from: Window;
  whole: boolean;
  bands: Promise<Bands> | undefined;
}
const THIN_ROWS = 64;

/** Neighbours in a row that want the same cells, as one request. */
function joined(requests: BlockRequest[]): BlockRequest[] {
  const out: BlockRequest[] = [];
  for (const r of requests) {
    const last = out.at(-1);
    if (
      last &&
      last.row0 === r.row0 &&
      last.col1 === r.col0 &&
      last.skip === r.skip &&
      last.count === r.count
    ) {
      last.col1 = r.col1;
    } else {
      out.push({ ...r });
    }
  }
  return out;
}
