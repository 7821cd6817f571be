import { type ImportParams, type ImportTile } from "../products/plans";
import { LRUCache } from "lru-cache";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { positionDoubt } from "@hindglance/core/grid/doubt";
import { BLOCK, type Window, fullWindow, intersect } from "@hindglance/core/grid/grid";
import {
  CLASS_NODATA,
  type Cells,
  emptyCells,
  fillGaps,
  realCells,
} from "@hindglance/core/raster/block";
import { FormatError } from "@hindglance/formats/errors";
import { withMask } from "@hindglance/formats/raster/mask";
import { withStated } from "@hindglance/formats/raster/stated";
import { openRaster } from "@hindglance/formats/raster/open";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
import { BlobSource, deleteBlobs, findBlob } from "../db/blobs";
import type { StoredBlock } from "../db/blocks";
import { deleteImage, finishImage, setBandRanges } from "../db/images";
import type { Database } from "../db/pool";
import { deleteScene, sceneTold, setSceneImage } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import { QUALITY_OF_CLASS } from "@hindglance/formats/optical/granule";
import { leaveFiles } from "./leaveFiles";
import { deleteUnpacked, unpackEntry, unpackedOf } from "./unpack";
import type { RunKind } from "./kind";
import { ImagePhases } from "./imagePhases";

/**
 * Open files by the bytes that each may keep decoded; what nobody has read for a while is let go.
 */
const FILE_BYTES = 32 << 20;
const open = new LRUCache<string, Promise<OpenRaster>>({
  maxSize: 96 << 20,
  ttl: 20_000,
  ttlAutopurge: true,
  updateAgeOnGet: true,
});
/** The file of a blob, opened once a process. */
export function fileOf(db: Database, id: string, cacheBytes = FILE_BYTES): Promise<OpenRaster> {
  let pending = open.get(id);
  if (!pending) {
    pending = (async () => {
      const blob = await db.withClient((client) => findBlob(client, id));
      if (!blob) {
        throw new AppError(
          410,
          "gone",
          "The uploaded file is no longer there",
          "file",
          "Import the file again.",
        );
      }
      return openRaster(new BlobSource(db, id, blob.size), cacheBytes);
    })();
    open.set(id, pending, { size: Math.max(1, Math.round(cacheBytes)) });
    pending.catch(() => open.delete(id));
  }
  return pending;
}

/** The file of a tile, with what lies beside it where there is something. */
async function tileOf(
  db: Database,
  { blobId, entry, mask, stated }: ImportTile,
  unpacked: readonly string[],
  cacheBytes: number,
): Promise<OpenRaster> {
  const file = await fileOf(db, entry === undefined ? blobId : unpacked[entry]!, cacheBytes);
  const image = stated ? withStated(file, stated) : file;
  return mask ? withMask(image, await fileOf(db, mask.blobId, cacheBytes), mask.name) : image;
}

/** Decoded blocks of all files of a scene together. */
const CACHE_BYTES = 96 << 20;

const phasesOf = (params: ImportParams) =>
  new ImagePhases({
    info: params.info,
    imageId: params.imageId,
    first: params.unpack ? 1 : 0,
    cellsName: "Reading cells",
  });

/**
 * Turns an uploaded raster into a scene: blocks, overviews, statistics. Nothing is seen of it
 * before it is whole.
 */
export const importScene: RunKind<ImportParams> = {
  phases: (params) => [
    ...(params.unpack ? [{ name: "Unpacking", weight: 3 }] : []),
    ...phasesOf(params).plan,
  ],
  ranges: async (phase, params) =>
    params.unpack && phase === 0
      ? params.unpack.entries.map((entry) => entry.bytes)
      : phasesOf(params).ranges(phase),
  async work(phase, seq, params, ctx, run) {
    if (params.unpack && phase === 0) {
      const { write } = await unpackEntry(
        ctx,
        run,
        params.unpack.files,
        params.unpack.entries[seq]!,
        seq,
      );
      return { write };
    }
    const unpacked = params.unpack
      ? await ctx.db.withClient((client) => unpackedOf(client, run.id))
      : [];
    return phasesOf(params).work(phase, seq, ctx, run.id, (row) =>
      assembledRow(
        params.info,
        row,
        params.tiles.map((tile): ImagePart => {
          const name = () => nameOfTile(ctx.db, tile, params);
          const open = async () =>
            scaledFile(
              await tileOf(ctx.db, tile, unpacked, CACHE_BYTES / params.tiles.length),
              tile,
              params,
            );
          return {
            ...tile,
            open: async () => {
              const { size, read } = await naming(name, open);
              return { size, read: (w) => naming(name, () => read(w)) };
            },
          };
        }),
      ),
    );
  },
  async finish(params, results, client, run) {
    const facts = await phasesOf(params).facts(results);
    if (facts.statistics.every((statistic) => statistic.valid === 0)) {
      throw new FormatError(
        "damaged",
        `${params.fileName} holds no valid cell: every cell is nodata`,
        "Check the nodata value of the file.",
      );
    }
    await finishImage(client, params.imageId, facts);
    await setBandRanges(client, params.imageId, params.info, facts.statistics);
    await setSceneImage(client, params.sceneId, params.imageId);
    await deleteUnpacked(client, run.id);
    await deleteBlobs(client, blobsOf(params));
    const position = positionDoubt(params.info.grid);
    await addToLedger(client, run.studyId!, "Scene imported", {
      ...(await sceneTold(client, params.sceneId)),
      width: params.info.grid.width,
      height: params.info.grid.height,
      crs: params.info.grid.crs.code,
      ...(position ? { position } : {}),
      bands: params.info.bands.map((band) => band.name),
      ...(params.leftOut ? { leftOut: params.leftOut } : {}),
      ...(params.answers ? { answers: params.answers } : {}),
    });
    await touchStudy(client, run.studyId!);
    return { sceneId: params.sceneId };
  },
  async discard(params, client, run, wrong) {
    await deleteScene(client, params.sceneId);
    await deleteImage(client, params.imageId);
    await deleteUnpacked(client, run.id);
    await leaveFiles(client, blobsOf(params), wrong);
  },
};

/**
 * A part of an image: where its first cell lies in the image (may reach past it), which band its
 * first one becomes, and how its cells are read.
 */
export interface ImagePart {
  col: number;
  row: number;
  band?: number;
  open(): Promise<{
    size: { width: number; height: number };
    read(w: Window): Promise<readonly Cells[]>;
  }>;
}

/**
 * Blocks of one block row of an image that is put together of parts; where two overlap the first
 * one with a valid cell counts.
 */
export async function assembledRow(
  info: ImageInfo,
  row: number,
  parts: readonly ImagePart[],
): Promise<StoredBlock[]> {
  const { width, height } = info.grid;
  const h = Math.min(BLOCK, height - row * BLOCK);
  const strip = { col: 0, row: row * BLOCK, width, height: h };
  const bands = info.bands.map(() => emptyCells(info.type, width * h));
  for (const part of parts) {
    const { size, read } = await part.open();
    const here = intersect(
      { ...strip, col: -part.col, row: strip.row - part.row },
      fullWindow(size),
    );
    if (here) {
      (await read(here)).forEach((src, b) =>
        fillGaps(
          src,
          { ...here, col: here.col + part.col, row: here.row + part.row },
          bands[(part.band ?? 0) + b]!,
          strip,
        ),
      );
    }
  }
  return bands.flatMap((cells, band) =>
    cutStrip(
      info.stored === "uint16" ? wholeNumbers(realCells(cells)) : cells,
      row,
      width,
      h,
      band,
    ),
  );
}

/** The uploaded files of a scene. */
const blobsOf = ({ tiles, spare = [], unpack }: ImportParams): string[] => [
  ...tiles.filter((tile) => tile.entry === undefined).map((tile) => tile.blobId),
  ...tiles.flatMap(({ mask }) => (mask ? [mask.blobId] : [])),
  ...spare,
  ...(unpack?.files.blobs.map((blob) => blob.id) ?? []),
];

/** What a tile's file is called. */
async function nameOfTile(
  db: Database,
  { blobId, entry }: ImportTile,
  { unpack, fileName }: ImportParams,
): Promise<string> {
  const path =
    entry === undefined
      ? (await db.withClient((client) => findBlob(client, blobId)))?.name
      : unpack!.entries[entry]!.path;
  return path?.split("/").pop() ?? fileName;
}

/** Reads of a file; what is wrong with it names it. */
async function naming<T>(name: () => Promise<string>, read: () => Promise<T>): Promise<T> {
  try {
    return await read();
  } catch (error) {
    if (!(error instanceof FormatError)) {
      throw error;
    }
    const file = await name();
    throw error.message.includes(file)
      ? error
      : new FormatError(error.problem, `${file}: ${error.message}`, error.hint);
  }
}

/**
 * Cells of a file as the scene keeps them, in windows of the scene's cells counted from the file's
 * corner.
 */
function scaledFile(
  raster: OpenRaster,
  tile: ImportTile,
  params: ImportParams,
): { size: { width: number; height: number }; read(w: Window): Promise<readonly Cells[]> } {
  const whole = params.info.stored === "uint16";
  const own = async (w: Window): Promise<Cells[]> => {
    if (params.info.type === "class8") {
      return [labelsFrom((await raster.readRaw(w))[0]!, raster.nodata)];
    }
    let cells: Float32Array<ArrayBufferLike>[];
    if (whole) {
      cells = (await raster.readRaw(w)).map((b) => new Float32Array(b));
    } else if (params.rescale) {
      cells = (await raster.readRaw(w)).map((b) =>
        Float32Array.from(b, (value) =>
          value === params.rescale!.fill || value === raster.nodata || !Number.isFinite(value)
            ? NaN
            : value * params.rescale!.scale + params.rescale!.offset,
        ),
      );
    } else {
      cells = await raster.read(w);
    }
    if (tile.classes) {
      for (const b of cells) {
        for (let i = 0; i < b.length; i++) {
          b[i] = QUALITY_OF_CLASS[b[i]!] ?? 1;
        }
      }
    }
    return cells;
  };
  const k = tile.scale ?? 1;
  if (k === 1) {
    return { size: raster, read: own };
  }
  const size = {
    width: Math.floor(raster.width * k + 1e-9),
    height: Math.floor(raster.height * k + 1e-9),
  };
  return {
    size,
    read: async (w) => {
      const from =
        k > 1
          ? { col: Math.floor(w.col / k), row: Math.floor(w.row / k) }
          : { col: Math.round(w.col / k), row: Math.round(w.row / k) };
      const to =
        k > 1
          ? { col: Math.ceil((w.col + w.width) / k), row: Math.ceil((w.row + w.height) / k) }
          : { col: Math.round((w.col + w.width) / k), row: Math.round((w.row + w.height) / k) };
      const src = {
        ...from,
        width: Math.min(raster.width, to.col) - from.col,
        height: Math.min(raster.height, to.row) - from.row,
      };
      return (await own(src)).map((cells) =>
        k > 1
          ? repeated(cells, src, w, k)
          : meansOf(
              realCells(cells),
              src,
              w,
              Math.round(1 / k),
              whole ? 0 : NaN,
              tile.classes ?? false,
            ),
      );
    },
  };
}
/** Each cell of `src` k times along and across. */
function repeated(cells: Cells, src: Window, w: Window, k: number): Cells {
  const n = w.width * w.height;
  const out = cells instanceof Uint8Array ? new Uint8Array(n) : new Float32Array(n);
  for (let r = 0, offset = 0; r < w.height; r++) {
    const i = (Math.floor((w.row + r) / k) - src.row) * src.width - src.col;
    for (let c = 0; c < w.width; c++, offset++) {
      out[offset] = cells[i + Math.floor((w.col + c) / k)]!;
    }
  }
  return out;
}
/** Means of k x k cells without those that are empty; of codes the first. */
function meansOf(
  b: Float32Array,
  src: Window,
  w: Window,
  k: number,
  empty: number,
  codes: boolean,
): Float32Array {
  const out = new Float32Array(w.width * w.height);
  for (let r = 0, offset = 0; r < w.height; r++) {
    for (let c = 0; c < w.width; c++, offset++) {
      let s = 0;
      let n = 0;
      for (let j = 0; j < k; j++) {
        for (let i = 0; i < k; i++) {
          const value = b[(r * k + j) * src.width + c * k + i];
          if (value !== undefined && value === value && value !== empty) {
            s += value;
            n++;
          }
        }
      }
      if (codes) {
        out[offset] = b[r * k * src.width + c * k]!;
      } else if (n === 0) {
        out[offset] = empty;
      } else {
        out[offset] = Number.isNaN(empty) ? s / n : Math.round(s / n);
      }
    }
  }
  return out;
}

/** One block row of a band, read as a strip of the whole width, cut into blocks. */
export function cutStrip<T extends Cells | Uint16Array>(
  strip: T,
  row: number,
  width: number,
  height: number,
  band: number,
): StoredBlock[] {
  return Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) => {
    const w = Math.min(BLOCK, width - col * BLOCK);
    const cells = new (strip.constructor as { new (n: number): T })(w * height);
    for (let r = 0; r < height; r++) {
      cells.set(strip.subarray(r * width + col * BLOCK, r * width + col * BLOCK + w), r * w);
    }
    return { level: 0, row, col, band, cells };
  });
}

/**
 * Labels of a classified raster; nodata becomes 255. @throws FormatError for values that are no
 * labels
 */
function labelsFrom(raw: Float64Array, nodata: number | null): Uint8Array {
  const out = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) {
    const value = raw[i]!;
    if (value === nodata || value !== value) {
      out[i] = CLASS_NODATA;
    } else if (value >= 0 && value <= 254 && value === Math.floor(value)) {
      out[i] = value;
    } else {
      throw new FormatError(
        "unsupported",
        `The value ${value} cannot be a class: classes are whole numbers from 0 to 254`,
        "Import this file as another kind.",
      );
    }
  }
  return out;
}

/** Numbers back to the whole numbers they are stored as; nodata is 0. */
function wholeNumbers(a: Float32Array): Uint16Array {
  const out = new Uint16Array(a.length);
  for (let i = 0; i < a.length; i++) {
    const value = a[i]!;
    out[i] = value === value ? value : 0;
  }
  return out;
}
