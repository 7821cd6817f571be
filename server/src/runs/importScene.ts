import type { ClassInfo, ImageInfo } from '@hindglance/core/graph/image';
import { BLOCK, levelCount } from '@hindglance/core/grid/grid';
import { CLASS_NODATA, type Cells } from '@hindglance/core/raster/block';
import { type Histogram, addToHistogram, emptyHistogram, mergeHistograms } from '@hindglance/core/raster/histogram';
import { type Statistics, addStatistics, emptyStatistics, mergeStatistics } from '@hindglance/core/raster/statistics';
import { toDecibel } from '@hindglance/core/radar/decibel';
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from '@hindglance/core/radar/estimateLooks';
import { FormatError } from '@hindglance/formats/errors';
import { type OpenTiff, openTiff } from '@hindglance/formats/tiff/readTiff';
import { BlobSource, deleteBlob, findBlob } from '../db/blobs';
import { type StoredBlock, readBlocks, removeBlocks, writeBlocks } from '../db/blocks';
import { deleteImage, finishImage } from '../db/images';
import type { Database } from '../db/pool';
import { deleteScene, setSceneImage } from '../db/scenes';
import { addToLedger, touchStudy } from '../db/studies';
import { AppError } from '../errors';
import type { RunKind } from './engine';
import { buildLevel, levelRanges } from './pyramidPhase';
import { rowRanges } from './ranges';

export interface ImportParams { sceneId: string; blobId: string; imageId: string; info: ImageInfo; fileName: string }

/** Sums travel as JSON, which has no infinity: an empty extent is null. */
type SafeStatistics = Omit<Statistics, 'min' | 'max'> & { min: number | null; max: number | null };
interface CellsResult { statistics: SafeStatistics[] }
interface HistogramResult { histograms: Histogram[]; looks: number[][] }

const open = new Map<string, Promise<OpenTiff>>();
/** The file of a blob, opened once a process. */
function fileOf(db: Database, id: string): Promise<OpenTiff> {
  let p = open.get(id);
  if (!p) {
    p = (async () => {
      const blob = await db.withClient((c) => findBlob(c, id));
      if (!blob) throw new AppError(410, 'gone', 'The uploaded file is no longer there', 'file', 'Import the file again.');
      return openTiff(new BlobSource(db, id, blob.size));
    })();
    open.set(id, p);
    p.catch(() => open.delete(id));
    while (open.size > 2) open.delete(open.keys().next().value!);
  }
  return p;
}

const phaseOfLevel = (level: number) => level;
const histogramPhase = (p: ImportParams) => levelCount(p.info.grid.width, p.info.grid.height);

/** Turns an uploaded raster into a scene: blocks, overviews, statistics. Nothing is seen of it before it is whole. */
export const importScene: RunKind<ImportParams> = {
  phases(p) {
    const levels = levelCount(p.info.grid.width, p.info.grid.height);
    return [{ name: 'Reading cells', weight: 6 }, ...Array.from({ length: levels - 1 }, (_v, i) => ({ name: 'Overviews', weight: 2 / 4 ** i })), { name: 'Histogram', weight: 2 }];
  },
  async ranges(phase, p) {
    if (phase === 0 || phase === histogramPhase(p)) return rowRanges(p.info.grid.width, p.info.grid.height).map((r) => r.cells);
    return levelRanges(p.info, phaseOfLevel(phase)).map((r) => r.cells);
  },
  async work(phase, seq, p, ctx) {
    const { width, height } = p.info.grid;
    if (phase > 0 && phase < histogramPhase(p)) return { write: await buildLevel(ctx.db, p.imageId, p.info, phase, levelRanges(p.info, phase)[seq]!, ctx.signal) };
    const range = rowRanges(width, height)[seq]!;
    if (phase === 0) {
      const t = await fileOf(ctx.db, p.blobId), statistics = p.info.bands.map(emptyStatistics), blocks: StoredBlock[] = [];
      for (let row = range.from; row < range.to; row++) {
        ctx.signal.throwIfAborted();
        const h = Math.min(BLOCK, height - row * BLOCK), strip = { col: 0, row: row * BLOCK, width, height: h };
        const bands: Cells[] = p.info.type === 'class8' ? [labelsFrom((await t.readRaw(strip))[0]!, t.nodata)] : await t.read(strip);
        p.info.bands.forEach((_b, band) => {
          addStatistics(statistics[band]!, p.info.type === 'class8' ? Float32Array.from(bands[band]!, (v) => (v === CLASS_NODATA ? NaN : v)) : bands[band]!);
          for (let col = 0; col * BLOCK < width; col++) {
            const w = Math.min(BLOCK, width - col * BLOCK), cells: Cells = p.info.type === 'float32' ? new Float32Array(w * h) : new Uint8Array(w * h);
            for (let r = 0; r < h; r++) cells.set(bands[band]!.subarray(r * width + col * BLOCK, r * width + col * BLOCK + w) as never, r * w);
            blocks.push({ level: 0, row, col, band, cells });
          }
        });
        ctx.progress((row + 1 - range.from) / (range.to - range.from));
      }
      return {
        result: { statistics: statistics.map((s) => ({ ...s, min: s.valid ? s.min : null, max: s.valid ? s.max : null })) } satisfies CellsResult,
        write: async (c) => { await removeBlocks(c, p.imageId, 0, range.from, range.to); await writeBlocks(c, p.imageId, blocks); },
      };
    }
    const totals = await mergedStatistics(ctx.db, p);
    const histograms = p.info.bands.map((b, i) => histogramFor(b.role, totals[i]!)), looks = p.info.bands.map(() => new Array<number>(LOOKS_BINS).fill(0));
    for (let row = range.from; row < range.to; row++) {
      ctx.signal.throwIfAborted();
      for (const b of await ctx.db.withClient((c) => readBlocks(c, p.imageId, 0, row, row + 1, 0, Math.ceil(width / BLOCK)))) {
        const role = p.info.bands[b.band]!.role;
        if (role === 'power') {
          addLocalLooks(b.cells as Float32Array, Math.min(BLOCK, width - b.col * BLOCK), Math.min(BLOCK, height - b.row * BLOCK), looks[b.band]!);
          const db = new Float32Array(b.cells.length);
          toDecibel(b.cells as Float32Array, db);
          addToHistogram(histograms[b.band]!, db);
        } else addToHistogram(histograms[b.band]!, p.info.type === 'class8' ? Float32Array.from(b.cells, (v) => (v === CLASS_NODATA ? NaN : v)) : b.cells);
      }
    }
    return { result: { histograms, looks } satisfies HistogramResult };
  },
  async finish(p, results, c, run) {
    const cells = await results<CellsResult>(0), parts = await results<HistogramResult>(histogramPhase(p));
    const statistics = merge(cells), histograms = p.info.bands.map((_b, i) => parts.map((x) => x.histograms[i]!).reduce(mergeHistograms));
    const looks = p.info.bands.map((b, i) => { const n = looksAtPeak(parts.reduce((s, x) => s.map((v, k) => v + x.looks[i]![k]!), new Array<number>(LOOKS_BINS).fill(0))); return b.role === 'power' && Number.isFinite(n) ? n : null; });
    if (statistics.every((s) => s.valid === 0)) throw new FormatError('damaged', `${p.fileName} holds no valid cell: every cell is nodata`, 'Check the nodata value of the file.');
    await finishImage(c, p.imageId, { statistics: statistics.map((s) => (s.valid ? s : { ...s, min: 0, max: 0 })), histograms, looks });
    await setSceneImage(c, p.sceneId, p.imageId);
    await deleteBlob(c, p.blobId);
    await addToLedger(c, run.studyId!, 'Scene imported', { scene: p.sceneId, file: p.fileName, width: p.info.grid.width, height: p.info.grid.height, crs: p.info.grid.crs.code, bands: p.info.bands.map((b) => b.name) });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c) { await deleteScene(c, p.sceneId); await deleteImage(c, p.imageId); await deleteBlob(c, p.blobId); },
};

async function mergedStatistics(db: Database, p: ImportParams): Promise<Statistics[]> {
  const rows = await db.withClient(async (c) => (await c.query<{ result: CellsResult }>("SELECT x.result FROM run_range x JOIN run r ON r.id = x.run_id WHERE r.params->>'imageId' = $1 AND x.phase = 0", [p.imageId])).rows);
  return merge(rows.map((r) => r.result));
}
const merge = (parts: CellsResult[]): Statistics[] => parts.map((x) => x.statistics.map((s): Statistics => ({ ...s, min: s.min ?? Infinity, max: s.max ?? -Infinity }))).reduce((a, b) => a.map((s, i) => mergeStatistics(s, b[i]!)));

/** Power is looked at in decibels; everything else over its own extent. */
function histogramFor(role: string, s: Statistics): Histogram {
  if (role === 'power') return emptyHistogram(-45, 20, 260);
  if (!s.valid) return emptyHistogram(0, 1, 2);
  return s.max > s.min ? emptyHistogram(s.min, s.max, 256) : emptyHistogram(s.min - 0.5, s.min + 0.5, 2);
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
