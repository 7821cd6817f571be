import { LRUCache } from 'lru-cache';
import type { ClassInfo, ImageInfo } from '@hindglance/core/graph/image';
import { BLOCK, type Window, fullWindow, intersect } from '@hindglance/core/grid/grid';
import { CLASS_NODATA, type Cells, emptyCells, fillGaps } from '@hindglance/core/raster/block';
import { FormatError } from '@hindglance/formats/errors';
import { openRaster } from '@hindglance/formats/raster/open';
import type { OpenRaster } from '@hindglance/formats/raster/raster';
import { BlobSource, deleteBlob, findBlob } from '../db/blobs';
import type { StoredBlock } from '../db/blocks';
import { deleteImage, finishImage, setBandRanges } from '../db/images';
import type { Client, Database } from '../db/pool';
import { deleteScene, setSceneImage } from '../db/scenes';
import { addToLedger, touchStudy } from '../db/studies';
import { AppError } from '../errors';
import type { RunKind } from './engine';
import { imagePhases } from './imagePhases';

/** `tiles`: the files of the scene and where their first cells lie in its grid; may reach past it. Where two overlap the first one with a valid cell counts. `band`: the band of
 * the scene that the file's first band is, where files hold a band each. */
export interface ImportParams { sceneId: string; tiles: { blobId: string; col: number; row: number; band?: number }[]; imageId: string; info: ImageInfo; fileName: string; leftOut: string | null; /** Files that came along and are not read: the metadata text, bands that were left out. */ spare?: string[] }

/** Open files by the bytes that each may keep decoded; what nobody has read for a while is let go. */
const FILE_BYTES = 32 << 20, open = new LRUCache<string, Promise<OpenRaster>>({ maxSize: 96 << 20, ttl: 20_000, ttlAutopurge: true, updateAgeOnGet: true });
/** The file of a blob, opened once a process. */
export function fileOf(db: Database, id: string, cacheBytes = FILE_BYTES): Promise<OpenRaster> {
  let p = open.get(id);
  if (!p) {
    p = (async () => {
      const blob = await db.withClient((c) => findBlob(c, id));
      if (!blob) throw new AppError(410, 'gone', 'The uploaded file is no longer there', 'file', 'Import the file again.');
      return openRaster(new BlobSource(db, id, blob.size), cacheBytes);
    })();
    open.set(id, p, { size: Math.max(1, Math.round(cacheBytes)) });
    p.catch(() => open.delete(id));
  }
  return p;
}

/** Decoded blocks of all files of a scene together. */
const CACHE_BYTES = 96 << 20;

const phasesOf = (p: ImportParams) => imagePhases(p.info, p.imageId, 0, 'Reading cells');

/** Turns an uploaded raster into a scene: blocks, overviews, statistics. Nothing is seen of it before it is whole. */
export const importScene: RunKind<ImportParams> = {
  phases: (p) => phasesOf(p).plan,
  ranges: async (phase, p) => phasesOf(p).ranges(phase),
  async work(phase, seq, p, ctx, run) {
    return phasesOf(p).work(phase, seq, ctx, run.id, async (row) => {
      return assembledRow(p.info, row, p.tiles.map((tile) => ({ ...tile, open: async () => { const t = await fileOf(ctx.db, tile.blobId, CACHE_BYTES / p.tiles.length); return { size: t, read: async (w: Window): Promise<Cells[]> => (p.info.type === 'class8' ? [labelsFrom((await t.readRaw(w))[0]!, t.nodata)] : p.info.stored === 'uint16' ? (await t.readRaw(w)).map((b) => Float32Array.from(b)) : t.read(w)) }; } })));
    });
  },
  async finish(p, results, c, run) {
    const facts = await phasesOf(p).facts(results);
    if (facts.statistics.every((s) => s.valid === 0)) throw new FormatError('damaged', `${p.fileName} holds no valid cell: every cell is nodata`, 'Check the nodata value of the file.');
    await finishImage(c, p.imageId, facts);
    await setBandRanges(c, p.imageId, p.info, facts.statistics);
    await setSceneImage(c, p.sceneId, p.imageId);
    await clean(p, c);
    await addToLedger(c, run.studyId!, 'Scene imported', { scene: p.sceneId, file: p.fileName, width: p.info.grid.width, height: p.info.grid.height, crs: p.info.grid.crs.code, bands: p.info.bands.map((b) => b.name), ...(p.leftOut ? { leftOut: p.leftOut } : {}) });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c) { await deleteScene(c, p.sceneId); await deleteImage(c, p.imageId); await clean(p, c); },
};

/** A part of an image: where its first cell lies in the image (may reach past it), which band its first one becomes, and how its cells are read. */
export interface ImagePart { col: number; row: number; band?: number; open(): Promise<{ size: { width: number; height: number }; read(w: Window): Promise<readonly Cells[]> }> }

/** Blocks of one block row of an image that is put together of parts; where two overlap the first one with a valid cell counts. */
export async function assembledRow(info: ImageInfo, row: number, parts: readonly ImagePart[]): Promise<StoredBlock[]> {
  const { width, height } = info.grid, h = Math.min(BLOCK, height - row * BLOCK), strip = { col: 0, row: row * BLOCK, width, height: h }, bands = info.bands.map(() => emptyCells(info.type, width * h));
  for (const part of parts) {
    const { size, read } = await part.open(), here = intersect({ ...strip, col: -part.col, row: strip.row - part.row }, fullWindow(size));
    if (here) (await read(here)).forEach((src, b) => fillGaps(src, { ...here, col: here.col + part.col, row: here.row + part.row }, bands[(part.band ?? 0) + b]!, strip));
  }
  return bands.flatMap((b, band) => cutStrip(info.stored === 'uint16' ? wholeNumbers(b as Float32Array) : b, row, width, h, band));
}

async function clean(p: ImportParams, c: Client): Promise<void> { for (const id of [...p.tiles.map((t) => t.blobId), ...(p.spare ?? [])]) await deleteBlob(c, id); }

/** One block row of a band, read as a strip of the whole width, cut into blocks. */
export function cutStrip<T extends Cells | Uint16Array>(strip: T, row: number, width: number, height: number, band: number): StoredBlock[] {
  return Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) => {
    const w = Math.min(BLOCK, width - col * BLOCK), cells = new (strip.constructor as { new (n: number): T })(w * height);
    for (let r = 0; r < height; r++) cells.set(strip.subarray(r * width + col * BLOCK, r * width + col * BLOCK + w) as never, r * w);
    return { level: 0, row, col, band, cells };
  });
}

/** Labels of a classified raster; nodata becomes 255. @throws FormatError for values that are no labels */
function labelsFrom(raw: Float64Array, nodata: number | null): Uint8Array {
  const out = new Uint8Array(raw.length);
  for (let i = 0; i < raw.length; i++) {
    const v = raw[i]!;
    if (v === nodata || v !== v) out[i] = CLASS_NODATA;
    else if (v >= 0 && v <= 254 && v === Math.floor(v)) out[i] = v;
    else throw new FormatError('unsupported', `The value ${v} cannot be a class: classes are whole numbers from 0 to 254`, 'Import this file as another kind.');
  }
  return out;
}

/** Names of classes from a "1=Water; 2=Wood" legend, else "Class 1". */
export function classesFrom(legend: string | undefined, palette: string[] | null, labels: number[]): ClassInfo[] {
  const names = new Map((legend ?? '').split(';').map((s) => s.trim().split('=')).filter((x) => x.length === 2).map(([k, v]) => [Number(k), v!.trim()]));
  return labels.map((label) => ({ label, name: names.get(label) ?? `Class ${label}`, color: palette?.[label] ?? '#8a938f' }));
}

/** Numbers back to the whole numbers they are stored as; nodata is 0. */
function wholeNumbers(a: Float32Array): Uint16Array {
  const out = new Uint16Array(a.length);
  for (let i = 0; i < a.length; i++) { const v = a[i]!; out[i] = v === v ? v : 0; }
  return out;
}
