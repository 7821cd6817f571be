import { type Window, intersect } from "@hindglance/core/grid/grid";
import { LRUCache } from "lru-cache";
import { FormatError } from "../errors";
import { type OpenRaster, type RasterBand, asReal, checkWindow } from "../raster/raster";
import type { ByteSource } from "../source";
import { readBoxes } from "./boxes";
import { type Codestream, readCodestream, tileStream, tileWindow } from "./codestream";
import { type TileCells, bytesOfCell, decodeTile } from "./decodeTile";
import { positionOf } from "./position";

const CACHE_BYTES = 48 << 20;
const MAX_TILE_CELLS = 1 << 26;
const MOST_BANDS = 64;

/** First bytes of a bare codestream, and those of the first box after its length. */
const BARE = [0xff, 0x4f, 0xff, 0x51];
const BOXED = [0x6a, 0x50, 0x20, 0x20];

/** Whether a file begins as JPEG 2000 does, boxed or bare. */
export const looksLikeJp2 = (head: Uint8Array): boolean =>
  BARE.every((byte, k) => head[k] === byte) ||
  (head.length >= 12 && BOXED.every((byte, k) => head[4 + k] === byte));

/** @throws FormatError where the image is too large in one piece, or has too many bands */
function requireReadable({ width, height, components, tileWidth, tileHeight }: Codestream): void {
  if (tileWidth * tileHeight > MAX_TILE_CELLS && width * height > MAX_TILE_CELLS) {
    throw new FormatError(
      "absurdSize",
      `The image is compressed in one piece of ${width} by ${height} cells, too large to take apart`,
      "Save it with tiles.",
    );
  }
  if (components > MOST_BANDS) {
    throw new FormatError(
      "unsupported",
      `This JPEG 2000 image has ${components} bands in one; up to ${MOST_BANDS} can be read`,
      "Save each band as a file of its own.",
    );
  }
}

/** Decoded tiles, as many as have room. */
class Tiles {
  private readonly cache: LRUCache<number, Promise<TileCells>>;
  constructor(
    private readonly source: ByteSource,
    private readonly codestream: Codestream,
    cacheBytes: number,
  ) {
    const { across, tileWidth, tileHeight } = codestream;
    const bytes = tileWidth * tileHeight * bytesOfCell(codestream);
    // A row of tiles at least, so that a row of cells does not decode a tile twice.
    this.cache = new LRUCache({ max: Math.max(across + 1, Math.floor(cacheBytes / bytes)) });
  }

  /** Cells of a tile. @throws FormatError */
  cells(tile: number, signal: AbortSignal | undefined): Promise<TileCells> {
    const known = this.cache.get(tile);
    if (known) {
      return known;
    }
    const pending = tileStream(this.source, this.codestream, tile, signal).then((bytes) =>
      decodeTile(bytes, this.codestream, tile),
    );
    this.cache.set(tile, pending);
    pending.catch(() => this.cache.delete(tile));
    return pending;
  }
}

/** Copies the part of a tile that lies in a window, band by band. */
function copyTile(cells: TileCells, tile: Window, window: Window, out: readonly Float64Array[]) {
  const part = intersect(tile, window);
  if (!part) {
    return;
  }
  const bands = out.length;
  for (let row = part.row; row < part.row + part.height; row++) {
    const from = ((row - tile.row) * tile.width + part.col - tile.col) * bands;
    const to = (row - window.row) * window.width + part.col - window.col;
    for (let b = 0; b < bands; b++) {
      const band = out[b]!;
      for (let c = 0; c < part.width; c++) {
        band[to + c] = cells[from + c * bands + b]!;
      }
    }
  }
}

/**
 * Opens a JPEG 2000 image, in its JP2 boxes or bare, tile by tile: whatever its size, no more than
 * a row of tiles is in memory. Position from a GeoJP2 box or from GML. Up to 16 bits a cell, whole
 * or with sign.
 * @throws FormatError: cut off, damaged, of absurd size, or of a kind that is named
 */
export async function openJp2(source: ByteSource, cacheBytes = CACHE_BYTES): Promise<OpenRaster> {
  const boxes = await readBoxes(source);
  const codestream = await readCodestream(source, boxes.stream.at, boxes.stream.end);
  requireReadable(codestream);
  const { width, height, components, signed, bits, parts } = codestream;
  const bands = Array.from({ length: components }, (): RasterBand => ({
    name: null,
    unit: null,
    scale: 1,
    offset: 0,
  }));
  const tiles = new Tiles(source, codestream, cacheBytes);
  const readRaw = async (window: Window, signal?: AbortSignal): Promise<Float64Array[]> => {
    checkWindow(window, width, height);
    const cells = window.width * window.height;
    const out = Array.from({ length: components }, () => new Float64Array(cells));
    for (const k of parts.keys()) {
      const tile = tileWindow(codestream, k);
      if (intersect(tile, window)) {
        signal?.throwIfAborted();
        copyTile(await tiles.cells(k, signal), tile, window, out);
      }
    }
    return out;
  };
  return {
    width,
    height,
    ...(await positionOf(boxes, { width, height })),
    verticalCode: null,
    bands,
    sampleType: `${signed ? "int" : "uint"}${bits > 8 ? 16 : 8}`,
    nodata: null,
    palette: boxes.palette,
    items: {},
    dateTime: null,
    blockHeight: Math.min(height, codestream.tileHeight),
    readRaw,
    read: async (window, signal) => asReal(await readRaw(window, signal), bands, null),
  };
}
