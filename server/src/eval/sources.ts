import { LRUCache } from "lru-cache";
import { bytesOf } from "@hindglance/core/bytes";
import { egm96 } from "@hindglance/core/geodesy/egm96";
import { nameGeoid } from "@hindglance/core/geodesy/geoid";
import { InputError } from "@hindglance/core/errors";
import type { ProductLuts } from "@hindglance/core/radar/luts";
import type { SourceReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, type Window, intersect, levelGrid } from "@hindglance/core/grid/grid";
import { paint } from "@hindglance/core/edit/paint";
import {
  type Block,
  type Cells,
  copyWindow,
  emptyCells,
  labelCells,
} from "@hindglance/core/raster/block";
import { type BlockRequest, blockWindow, readBlockParts } from "../db/blocks";
import { findChangeMap } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Model } from "@hindglance/core/classify/model";
import { findModel } from "../db/classification";
import { findLuts } from "../db/products";
import { type Client, type Lender, lending } from "../db/pool";
import { notFound } from "../errors";
import { EditedMaps, editsOf } from "./edited";

// Whoever reads stored images may have to bring heights to the ellipsoid.
nameGeoid(egm96);

/** Cells of all bands of one block. */
type Bands = Cells[];

/** Bytes of look-up tables that are kept. */
const TABLE_BYTES = 24 << 20;

/** What has been read. */
interface Caches {
  /** Maps that are edited: what each was before. */
  maps: LRUCache<string, Promise<string>>;
  infos: LRUCache<string, Promise<ImageInfo>>;
  models: LRUCache<string, Promise<Model>>;
  tables: LRUCache<string, Promise<ProductLuts>>;
  /** The promise of a block counts with the bytes that its bands will have. */
  blocks: LRUCache<string, Promise<Bands>>;
}

const emptyCaches = (bytes: number): Caches => ({
  maps: new LRUCache({ max: 50 }),
  infos: new LRUCache({ max: 200 }),
  models: new LRUCache({ max: 8 }),
  tables: new LRUCache({ maxSize: TABLE_BYTES }),
  blocks: new LRUCache({ maxSize: Math.max(bytes, 32 << 20) }),
});

/**
 * Reads stored images through a cache of decoded blocks; blocks that are missing are fetched in one
 * COPY.
 */
export class StoredSources implements SourceReader {
  private readonly infos: Caches["infos"];
  private readonly tables: Caches["tables"];
  private readonly blocks: Caches["blocks"];

  /** @param caches what is read already, where others share it; else so many bytes are kept */
  constructor(
    private readonly db: Lender,
    cacheBytes: number,
    private readonly caches: Caches = emptyCaches(cacheBytes),
    private readonly edited = new EditedMaps(db),
  ) {
    this.infos = caches.infos;
    this.tables = caches.tables;
    this.blocks = caches.blocks;
  }

  /** The same, read over the connection that the caller holds. */
  within(client: Client): StoredSources {
    return new StoredSources(lending(client), 0, this.caches, this.edited);
  }

  /** What steps see of an image. */
  async info(image: string): Promise<ImageInfo> {
    const edits = editsOf(image);
    if (edits) {
      return this.info(await this.imageOfMap(edits.map));
    }
    const { stored: _stored, ...info } = await this.row(image);
    return info;
  }

  private row(image: string): Promise<ImageInfo> {
    let pending = this.infos.get(image);
    if (!pending) {
      pending = this.db.withClient(async (client) => {
        const imageRow = await findImage(client, image);
        if (!imageRow) {
          throw notFound("image");
        }
        return imageRow.info;
      });
      this.infos.set(image, pending);
      pending.catch(() => this.infos.delete(image));
    }
    return pending;
  }

  /** The image of a map as it was written. @throws AppError where the map is gone */
  private imageOfMap(map: string): Promise<string> {
    const { maps } = this.caches;
    let pending = maps.get(map);
    if (!pending) {
      pending = this.db.withClient(async (client) => {
        const found = await findChangeMap(client, map);
        if (!found) {
          throw notFound("change map");
        }
        return found.imageId;
      });
      maps.set(map, pending);
      pending.catch(() => maps.delete(map));
    }
    return pending;
  }

  /** Classes of a map in a window, with edits painted over them. */
  private async readEdited(
    edits: { map: string; head: number },
    level: number,
    window: Window,
  ): Promise<Block> {
    const image = await this.imageOfMap(edits.map);
    const { grid } = await this.row(image);
    const { bands } = await this.read(image, level, window);
    const labels = labelCells(bands[0]!);
    const cells = 2 ** level;
    const covered = {
      col: window.col * cells,
      row: window.row * cells,
      width: window.width * cells,
      height: window.height * cells,
    };
    const painting = await this.edited.painting(edits, grid, covered);
    paint(painting, window, { size: grid, level }, { labels });
    return { window, bands: [labels] };
  }

  async read(image: string, level: number, w: Window): Promise<Block> {
    const edits = editsOf(image);
    if (edits) {
      return this.readEdited(edits, level, w);
    }
    const info = await this.row(image);
    const grid = levelGrid(info.grid, level);
    const wanted: Wanted[] = [];
    const missing: Wanted[] = [];
    for (let row = Math.floor(w.row / BLOCK); row * BLOCK < w.row + w.height; row++) {
      for (let col = Math.floor(w.col / BLOCK); col * BLOCK < w.col + w.width; col++) {
        const at = blockWindow(row, col, grid.width, grid.height);
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
    let promised = this.tables.get(image);
    if (!promised) {
      promised = this.db.withClient(async (client) => {
        const productLuts = await findLuts(client, image);
        if (!productLuts) {
          throw new InputError(
            "This scene is not a product with look-up tables: its numbers cannot be calibrated",
            "inputs",
          );
        }
        return productLuts;
      });
      this.tables.set(image, promised, { size: 1 });
      const made = promised;
      made.then(
        (tables) => this.tables.set(image, made, { size: Math.min(TABLE_BYTES, bytesOf(tables)) }),
        () => this.tables.delete(image),
      );
    }
    return promised;
  }

  /** A trained model. @throws InputError when it is not there */
  model(id: string): Promise<Model> {
    const { models } = this.caches;
    let pending = models.get(id);
    if (!pending) {
      pending = this.db.withClient(async (client) => {
        const model = await findModel(client, id);
        if (!model) {
          throw new InputError("The trained model is not there any more", "model", "Train anew.");
        }
        return model;
      });
      models.set(id, pending);
      pending.catch(() => models.delete(id));
    }
    return pending;
  }

  /** Starts one read for all that is missing, and puts promises of whole blocks into the cache. */
  private fetch(image: string, level: number, missing: Wanted[], info: ImageInfo): void {
    const requests = missing.map((wanted): BlockRequest => {
      const box = {
        row0: wanted.row,
        row1: wanted.row + 1,
        col0: wanted.col,
        col1: wanted.col + 1,
      };
      return wanted.whole
        ? box
        : {
            ...box,
            skip: (wanted.from.row - wanted.row * BLOCK) * wanted.from.width,
            count: wanted.from.height * wanted.from.width,
          };
    });
    const all = this.db.withClient((client) =>
      readBlockParts(
        client,
        image,
        level,
        joined(requests),
        level === 0 && info.stored ? info.stored : "float32",
      ),
    );
    all.catch(() => {});
    for (const wanted of missing) {
      wanted.bands = all.then((found) =>
        info.bands.map((_b, k) => {
          const decodedBlock = found.find(
            (y) => y.row === wanted.row && y.col === wanted.col && y.band === k,
          );
          if (!decodedBlock) {
            throw new Error(`Block ${wanted.key} of band ${k} is not stored`);
          }
          return decodedBlock.cells;
        }),
      );
      wanted.bands.catch(() => this.blocks.delete(wanted.key));
      if (wanted.whole) {
        this.blocks.set(wanted.key, wanted.bands, {
          size:
            info.bands.length *
            wanted.from.width *
            wanted.from.height *
            (info.type === "float32" ? 4 : 1),
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
  for (const request of requests) {
    const last = out.at(-1);
    if (
      last &&
      last.row0 === request.row0 &&
      last.col1 === request.col0 &&
      last.skip === request.skip &&
      last.count === request.count
    ) {
      last.col1 = request.col1;
    } else {
      out.push({ ...request });
    }
  }
  return out;
}
