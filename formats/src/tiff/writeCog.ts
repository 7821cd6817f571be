import { promisify } from "node:util";
import { deflate } from "node:zlib";
import { isGeographic } from "@hindglance/core/geodesy/crs";
import { InputError } from "@hindglance/core/errors";
import { BLOCK, type Grid, levelGrid } from "@hindglance/core/grid/grid";
import type { Cells } from "@hindglance/core/raster/block";
import { writeMetadataXml } from "./metadata";

const deflateAsync = promisify(deflate);

/** Somewhere to keep compressed tiles until all are known. */
export interface Spool {
  append(bytes: Uint8Array): Promise<void>;
  read(offset: number, length: number): Promise<Uint8Array>;
}

export interface CogOptions {
  grid: Grid;
  type: "float32" | "uint8";
  bands: { name: string; unit?: string }[];
  nodata: number | null;
  /** Colours by value for one uint8 band, as #rrggbb. */
  palette?: Record<number, string>;
  items?: Record<string, string>;
  /** Levels, the full image included. */
  levels: number;
  /**
   * Cells of one 512 x 512 block at a level (cut at the right and lower edge), one array a band.
   */
  readBlock(level: number, row: number, col: number): Promise<Cells[]>;
  progress?(share: number): void;
  signal?: AbortSignal;
}

/**
 * Writes a cloud-optimised GeoTIFF: 512-cell tiles, deflate with a predictor, all directories at
 * the front, overviews from the
 * smallest before the full image, nodata, coordinate system, band names, colour table. Bands are
 * stored one after another.
 * Becomes a BigTIFF when it would pass 4 GB. Source: TIFF 6.0, OGC GeoTIFF 1.1, OGC Cloud Optimized
 * GeoTIFF 1.0.
 */
export async function writeCog(
  options: CogOptions,
  spool: Spool,
  sink: (bytes: Uint8Array) => Promise<void>,
): Promise<void> {
  const levels = Array.from({ length: options.levels }, (_v, level) => {
    const grid = levelGrid(options.grid, level);
    return {
      ...grid,
      level,
      across: Math.ceil(grid.width / BLOCK),
      down: Math.ceil(grid.height / BLOCK),
    };
  });
  const total = levels.reduce((s, pyramidLevel) => s + pyramidLevel.across * pyramidLevel.down, 0);
  const tiles = levels.map((level) => ({
    offsets: new Array<number>(level.across * level.down * options.bands.length).fill(0),
    counts: new Array<number>(level.across * level.down * options.bands.length).fill(0),
  }));
  let written = 0;
  let done = 0;
  const blocks = [...levels].reverse().flatMap((level) =>
    Array.from({ length: level.across * level.down }, (_v, k) => ({
      l: level,
      row: Math.floor(k / level.across),
      col: k % level.across,
    })),
  );
  const pack = async ({ l: pyramidLevel, row, col }: (typeof blocks)[0]) => {
    options.signal?.throwIfAborted();
    const w = Math.min(BLOCK, pyramidLevel.width - col * BLOCK);
    const h = Math.min(BLOCK, pyramidLevel.height - row * BLOCK);
    return Promise.all(
      (await options.readBlock(pyramidLevel.level, row, col)).map((cells) =>
        deflateAsync(predicted(cells, w, h, options), DEFLATE),
      ),
    );
  };
  // Two blocks under way: one is compressed in the thread pool while the next is read and
  // predicted.
  const underWay = blocks.slice(0, 2).map(pack);
  underWay.forEach((work) => void work.catch(() => {}));
  for (let i = 0; i < blocks.length; i++) {
    const { l: pyramidLevel, row, col } = blocks[i]!;
    const packed = await underWay.shift()!;
    if (i + 2 < blocks.length) {
      const next = pack(blocks[i + 2]!);
      next.catch(() => {});
      underWay.push(next);
    }
    for (let b = 0; b < packed.length; b++) {
      const k = b * pyramidLevel.across * pyramidLevel.down + row * pyramidLevel.across + col;
      tiles[pyramidLevel.level]!.offsets[k] = written;
      tiles[pyramidLevel.level]!.counts[k] = packed[b]!.length;
      await spool.append(packed[b]!);
      written += packed[b]!.length;
    }
    options.progress?.(++done / total);
  }
  const big = written > 0xf0000000;
  const head = directories(options, levels, tiles, big);
  await sink(head);
  for (let at = 0; at < written; at += 1 << 20) {
    await sink(await spool.read(at, Math.min(1 << 20, written - at)));
  }
}

/**
 * Speckle hardly compresses: level 4 is within a hundredth of level 6 in size and nearly twice as
 * fast.
 */
const DEFLATE = { level: 4, memLevel: 9 };

/** A full tile with the predictor applied; cells past the image are nodata. */
function predicted(cells: Cells, w: number, h: number, options: CogOptions): Uint8Array {
  if (options.type === "uint8") {
    const t = new Uint8Array(BLOCK * BLOCK).fill(options.nodata ?? 0);
    for (let r = 0; r < h; r++) {
      t.set(cells.subarray(r * w, (r + 1) * w), r * BLOCK);
    }
    // Classes come in runs, which deflate finds best as they are.
    return t;
  }
  const empty = options.nodata ?? NaN;
  const out = new Uint8Array(BLOCK * BLOCK * 4);
  const row = new Float32Array(BLOCK);
  const bits = new Uint32Array(row.buffer);
  for (let r = 0; r < BLOCK; r++) {
    row.fill(empty);
    if (r < h) {
      row.set(cells.subarray(r * w, (r + 1) * w));
      if (!Number.isNaN(empty)) {
        for (let c = 0; c < w; c++) {
          const value = row[c]!;
          if (value !== value) {
            row[c] = empty;
          }
        }
      }
    }
    // Four planes of bytes, most significant first, each byte less the one before it; stores keep
    // the low eight bits.
    const destination = r * BLOCK * 4;
    for (let c = 1, last = bits[0]!; c < BLOCK; c++) {
      const bit = bits[c]!;
      out[destination + c] = (bit >>> 24) - (last >>> 24);
      out[destination + BLOCK + c] = (bit >>> 16) - (last >>> 16);
      out[destination + 2 * BLOCK + c] = (bit >>> 8) - (last >>> 8);
      out[destination + 3 * BLOCK + c] = bit - last;
      last = bit;
    }
    const first = bits[0]!;
    const end = bits[BLOCK - 1]!;
    out[destination] = first >>> 24;
    out[destination + BLOCK] = (first >>> 16) - (end >>> 24);
    out[destination + 2 * BLOCK] = (first >>> 8) - (end >>> 16);
    out[destination + 3 * BLOCK] = first - (end >>> 8);
  }
  return out;
}

interface PyramidLevel {
  level: number;
  width: number;
  height: number;
}

/** Where the tiles of a level are, from the end of the directories, and how long they are. */
interface Tiles {
  offsets: number[];
  counts: number[];
}

type Field = [tag: number, type: 2 | 3 | 4 | 12, values: number[] | string];

/**
 * Header and all directories; tile offsets are shifted by its own length, which does not depend on
 * them.
 */
function directories(
  options: CogOptions,
  levels: PyramidLevel[],
  tiles: Tiles[],
  big: boolean,
): Uint8Array {
  const build = (shift: number) =>
    serialise(
      levels.map((level) => fields(options, level, tiles[level.level]!, shift)),
      big,
    );
  return build(build(0).length);
}

/** Colours of classes as a table of 256 red, green and blue values of 16 bits. */
function colourMap(palette: Record<number, string>): Field {
  const map = new Array<number>(768).fill(0);
  for (const [value, colour] of Object.entries(palette)) {
    [1, 3, 5].forEach((position, k) => {
      map[k * 256 + Number(value)] = parseInt(colour.slice(position, position + 2), 16) * 257;
    });
  }
  return [320, 3, map];
}

/** Position of the outer corner of the first cell and extents of cells; a matrix where they are turned. */
function positionFields({ transform: t }: Grid): Field[] {
  if (t[2] === 0 && t[4] === 0 && t[5] < 0) {
    return [
      [33550, 12, [t[1], -t[5], 0]],
      [33922, 12, [0, 0, 0, t[0], t[3], 0]],
    ];
  }
  const rows = [
    [t[1], t[2], 0, t[0]],
    [t[4], t[5], 0, t[3]],
    [0, 0, 0, 0],
    [0, 0, 0, 1],
  ];
  return [[34264, 12, rows.flat()]];
}

/** Fields that say where the tiles are and how their cells are kept. */
function tileFields(
  { type, bands }: CogOptions,
  { level, width, height }: PyramidLevel,
  tiles: Tiles,
  shift: number,
): Field[] {
  const count = bands.length;
  const isBytes = type === "uint8";
  const perBand = (value: number) => new Array<number>(count).fill(value);
  return [
    [254, 4, [level === 0 ? 0 : 1]],
    [256, 4, [width]],
    [257, 4, [height]],
    [258, 3, perBand(isBytes ? 8 : 32)],
    [259, 3, [8]],
    [277, 3, [count]],
    [284, 3, [count === 1 ? 1 : 2]],
    [317, 3, [isBytes ? 1 : 3]],
    [322, 4, [BLOCK]],
    [323, 4, [BLOCK]],
    [324, 4, tiles.offsets.map((offset) => offset + shift)],
    [325, 4, tiles.counts],
    [339, 3, perBand(isBytes ? 1 : 3)],
  ];
}

/** The directory of one level, its fields by their tags. */
function fields(options: CogOptions, level: PyramidLevel, tiles: Tiles, shift: number): Field[] {
  const { type, bands, grid, items, nodata } = options;
  const palette = bands.length === 1 && type === "uint8" ? options.palette : undefined;
  const all: Field[] = [...tileFields(options, level, tiles, shift), [262, 3, [palette ? 3 : 1]]];
  if (palette) {
    all.push(colourMap(palette));
  }
  if (bands.length > 1) {
    // All but the first are beyond what the picture is of: values of no stated kind.
    all.push([338, 3, new Array<number>(bands.length - 1).fill(0)]);
  }
  if (nodata !== null) {
    all.push([42113, 2, Number.isNaN(nodata) ? "nan" : String(nodata)]);
  }
  if (level.level === 0) {
    all.push(...positionFields(grid), ...geoKeys(grid));
    all.push([42112, 2, writeMetadataXml(items ?? {}, bands)]);
  }
  return all.sort((a, b) => a[0] - b[0]);
}

function geoKeys(grid: Grid): Field[] {
  const code = /^EPSG:(\d+)$/.exec(grid.crs.code)?.[1];
  if (!code) {
    throw new InputError(
      `The coordinate system ${grid.crs.code} has no EPSG code and cannot be written to a GeoTIFF`,
      "crs",
      "Put the study on a grid with an EPSG code, such as its UTM zone.",
    );
  }
  const geographic = isGeographic(grid.crs);
  const citation = `${grid.crs.name ?? grid.crs.code}|`;
  const keys: number[][] = [
    [1024, 0, 1, geographic ? 2 : 1],
    [1025, 0, 1, 1],
    [1026, 34737, citation.length, 0],
    [geographic ? 2048 : 3072, 0, 1, Number(code)],
  ];
  return [
    [34735, 3, [1, 1, 1, keys.length, ...keys.flat()]],
    [34737, 2, citation],
  ];
}

/** TIFF bytes of a list of directories, little-endian, values behind each directory. */
function serialise(dirs: Field[][], big: boolean): Uint8Array {
  const size = { 2: 1, 3: 2, 4: big ? 8 : 4, 12: 8 };
  const slot = big ? 8 : 4;
  const entry = big ? 20 : 12;
  const countBytes = big ? 8 : 2;
  const length = (field: Field) =>
    (typeof field[2] === "string" ? Buffer.byteLength(field[2]) + 1 : field[2].length) *
    size[field[1]];
  let at = big ? 16 : 8;
  const starts: number[] = [];
  for (const dir of dirs) {
    starts.push(at);
    at += countBytes + dir.length * entry + slot;
    for (const field of dir) {
      if (length(field) > slot) {
        at += (length(field) + 7) & ~7;
      }
    }
    at = (at + 7) & ~7;
  }
  const out = new Uint8Array(at);
  const view = new DataView(out.buffer);
  const putSlot = (position: number, x: number) => {
    if (big) {
      view.setBigUint64(position, BigInt(x), true);
    } else {
      view.setUint32(position, x, true);
    }
  };
  out.set([0x49, 0x49]);
  view.setUint16(2, big ? 43 : 42, true);
  if (big) {
    view.setUint16(4, 8, true);
    putSlot(8, 16);
  } else {
    putSlot(4, 8);
  }
  dirs.forEach((dir, i) => {
    let start = starts[i]!;
    if (big) {
      putSlot(start, dir.length);
    } else {
      view.setUint16(start, dir.length, true);
    }
    start += countBytes;
    let extra = start + dir.length * entry + slot;
    for (const field of dir) {
      const bytes = length(field);
      const n = typeof field[2] === "string" ? Buffer.byteLength(field[2]) + 1 : field[2].length;
      view.setUint16(start, field[0], true);
      view.setUint16(start + 2, big && field[1] === 4 ? 16 : field[1], true);
      putSlot(start + 4, n);
      let next = start + (big ? 12 : 8);
      if (bytes > slot) {
        putSlot(next, extra);
        next = extra;
        extra += (bytes + 7) & ~7;
      }
      if (typeof field[2] === "string") {
        out.set(Buffer.from(field[2]), next);
      } else {
        field[2].forEach((x, k) => {
          if (field[1] === 3) {
            view.setUint16(next + 2 * k, x, true);
          } else if (field[1] === 4) {
            putSlot(next + slot * k, x);
          } else {
            view.setFloat64(next + 8 * k, x, true);
          }
        });
      }
      start += entry;
    }
    putSlot(start, starts[i + 1] ?? 0);
  });
  return out;
}
