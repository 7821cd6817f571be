import { createHash } from 'node:crypto';
import type { Router } from 'express';
import { CancelledError } from '@hindglance/core/errors';
import { multiPolygonFrom } from '@hindglance/core/vector/polygons';
import { FormatError } from '@hindglance/formats/errors';
import { describeScene } from '@hindglance/formats/scene/describe';
import { openTiff } from '@hindglance/formats/tiff/readTiff';
import { looksLikeOrbitFile, readOrbitFile } from '@hindglance/formats/product/orbitFile';
import { looksLikeSafe, readSafe } from '@hindglance/formats/product/safe';
import { type FileSet, openZip } from '@hindglance/formats/zip';
import { utcText } from '@hindglance/core/radar/orbit';
import type { SensorModel } from '@hindglance/core/radar/sensor';
import { BlobSource, type Blob, deleteBlob, findBlob, listParts, listUploads, receiveBlob, setBlobDetail, setBlobPurpose } from '../db/blobs';
import type { Database } from '../db/pool';
import { saveOrbit } from '../db/products';
import { listScenes } from '../db/scenes';
import { addToLedger, touchStudy } from '../db/studies';
import { AppError, errorBody, notFound } from '../errors';
import { orbitServes } from '../products/orbits';
import { type UploadedFiles, openUploaded } from '../products/uploaded';
import { idOf } from './http';
import type { Services } from './services';

const MAX_VECTOR_BYTES = 50 << 20;

/** What was found in an uploaded file. */
export type Inspection = { form: 'raster' | 'zones' | 'product' | 'orbit' } & Record<string, unknown>;

/** Looks into an uploaded file: what it is, what it says of itself, what must be asked for. @throws FormatError when it cannot be used */
export async function inspect(db: Database, blob: Blob): Promise<Inspection> {
  const source = new BlobSource(db, blob.id, blob.size);
  if (looksLikeOrbitFile(blob.name)) return inspectOrbit(db, blob, await source.read(0, Math.min(blob.size, MAX_VECTOR_BYTES)));
  if (await isZip(source)) return inspectProduct(await openZip(source), { zip: true, blobs: [{ id: blob.id, path: blob.name, size: blob.size }] });
  if (/\.(geo)?json$/i.test(blob.name)) return inspectZones(await source.read(0, Math.min(blob.size, MAX_VECTOR_BYTES + 1)), blob);
  const t = await openTiff(source);
  if (!t.grid) throw t.noPosition!;
  return { form: 'raster', width: t.width, height: t.height, sampleType: t.sampleType, nodata: t.nodata === null ? null : String(t.nodata), grid: t.grid, items: t.items, palette: t.palette, ...describeScene(t, blob.name) };
}

async function isZip(source: BlobSource): Promise<boolean> {
  const b = await source.read(0, Math.min(4, source.size));
  return b[0] === 0x50 && b[1] === 0x4b && ((b[2] === 3 && b[3] === 4) || (b[2] === 5 && b[3] === 6));
}

/** What a product says of itself. Tables and geometry are read again when it is imported; here they are only checked. */
async function inspectProduct(set: FileSet, files: UploadedFiles): Promise<Inspection> {
  if (!looksLikeSafe(set)) throw new FormatError('unsupported', 'This holds no manifest.safe: only products in the SAFE layout are taken as zip or folder', 'Pick single GeoTIFFs one by one.');
  const { sensor, luts: _luts, ...p } = await readSafe(set);
  return { form: 'product', files, ...p, lines: sensor.lines, samples: sensor.samples, kind: 'radar', acquiredAt: middleOf(sensor) };
}
const middleOf = (m: SensorModel) => utcText(m.firstLineT + (m.lines / 2) * m.lineIntervalS).replace(/\.\d+Z$/, 'Z');

/** Orbit files are small and need no answer: they are taken at once. */
async function inspectOrbit(db: Database, blob: Blob, bytes: Uint8Array): Promise<Inspection> {
  const o = readOrbitFile(bytes, blob.name), stored = await db.withTransaction(async (c) => {
    const x = await saveOrbit(c, { studyId: blob.studyId!, fileName: blob.name, fileSha256: blob.sha256!, mission: o.mission, kind: o.kind, from: o.vectors[0]!.t, to: o.vectors.at(-1)!.t, vectors: o.vectors });
    await addToLedger(c, blob.studyId!, 'Orbit file imported', { orbit: x.id, file: blob.name, mission: o.mission, kind: o.kind });
    await touchStudy(c, blob.studyId!);
    return x;
  });
  const scenes = (await db.withClient((c) => listScenes(c, blob.studyId!))).filter((s) => orbitServes(stored, s));
  return { form: 'orbit', orbitId: stored.id, mission: o.mission, orbitKind: o.kind, from: utcText(stored.from), to: utcText(stored.to), scenes: scenes.map((s) => s.name) };
}

function inspectZones(bytes: Uint8Array, blob: Blob): Inspection {
  if (blob.size > MAX_VECTOR_BYTES) throw new AppError(413, 'tooLarge', `${blob.name} is larger than 50 MB, the most that a zone file can be`, 'file', 'Simplify the zones first.');
  let g: { type?: unknown; features?: unknown };
  try { g = JSON.parse(new TextDecoder('utf-8', { fatal: true }).decode(bytes)) as typeof g; } catch { throw new FormatError('damaged', `${blob.name} is not valid JSON`, 'A GeoJSON FeatureCollection of polygons is needed.'); }
  if (g?.type !== 'FeatureCollection' || !Array.isArray(g.features)) throw new FormatError('unsupported', `${blob.name} is not a GeoJSON FeatureCollection`, 'Save the zones as a FeatureCollection of polygons.');
  if (g.features.length === 0 || g.features.length > 60000) throw new FormatError('unsupported', `${blob.name} holds ${g.features.length} zones; 1 to 60 000 can be used`);
  const fields = new Map<string, number>();
  g.features.forEach((f: { geometry?: unknown; properties?: Record<string, unknown> | null }, i: number) => {
    try { multiPolygonFrom(f?.geometry, 'geometry'); } catch (e) { throw new FormatError('unsupported', `Zone ${i + 1} of ${blob.name}: ${(e as Error).message}`, 'Zones are polygons in longitude and latitude.'); }
    for (const [k, v] of Object.entries(f.properties ?? {})) if (typeof v === 'string' || typeof v === 'number') fields.set(k, (fields.get(k) ?? 0) + 1);
  });
  const all = [...fields].filter(([, n]) => n === (g.features as unknown[]).length).map(([k]) => k);
  return { form: 'zones', zones: g.features.length, nameFields: all, nameField: all.find((k) => /name|title|label/i.test(k)) ?? all[0] ?? null };
}

/** One checksum for a folder: SHA-256 over the lines "checksum  path" of its files in the order of their paths. */
const digestOf = (parts: readonly { path: string; sha256: string }[]): string => createHash('sha256').update(parts.map((p) => `${p.sha256}  ${p.path}\n`).join('')).digest('hex');

function readable(e: unknown, name: string, log: Services['log']): AppError {
  const { body, status, expected } = errorBody(e);
  if (!expected) { log.error(e); return new AppError(422, 'damaged', `${name} cannot be read`, 'file', 'Check that the file opens elsewhere.'); }
  return new AppError(status, body.code, body.message.includes(name) ? body.message : `${name}: ${body.message}`, 'file', body.hint);
}

export function uploadRoutes(api: Router, { db, config, log }: Services): void {
  /** The body is the file; its name comes in the query. */
  api.post('/studies/:id/uploads', async (req, res) => {
    const name = (typeof req.query.name === 'string' ? req.query.name : '').replace(/^.*[/\\]/, '').trim();
    if (!name || name.length > 255 || [...name].some((ch) => ch < ' ')) throw new AppError(422, 'invalid', 'The file needs a name of 1 to 255 characters', 'name');
    const length = Number(req.headers['content-length'] ?? NaN);
    if (length > config.maxUploadBytes) throw new AppError(413, 'tooLarge', `${name} is larger than ${Math.round(config.maxUploadBytes / 2 ** 30)} GB, the most that can be taken`, 'file');
    const blob = await receiveBlob(db, { studyId: idOf(req), purpose: 'upload', name, maxBytes: config.maxUploadBytes }, req).catch((e) => { if (req.destroyed && !req.complete) throw new CancelledError('The upload broke off'); throw e; });
    if (Number.isFinite(length) && blob.size !== length) { await db.withClient((c) => deleteBlob(c, blob.id)); throw new AppError(400, 'incomplete', `Only ${blob.size} of ${length} bytes of ${name} arrived`, 'file', 'Send the file again.'); }
    // Files of a folder say nothing by themselves; they are looked at together when the last one is there.
    const folder = typeof req.query.folder === 'string' ? req.query.folder : null, path = typeof req.query.path === 'string' ? req.query.path : null;
    if (folder !== null || path !== null) {
      const safe = /^[0-9a-f-]{36}$/.test(folder ?? '') && path && path.length < 1000 && !path.startsWith('/') && !path.split('/').includes('..') && !path.includes('\\');
      if (!safe) { await db.withClient((c) => deleteBlob(c, blob.id)); throw new AppError(422, 'invalid', 'A file of a folder needs the folder\'s id and a path inside it', 'path'); }
      await db.withClient(async (c) => { await setBlobPurpose(c, blob.id, 'part'); await setBlobDetail(c, blob.id, { folder, path }); });
      res.status(201).json({ ...blob, purpose: 'part' });
      return;
    }
    try {
      const inspection = await inspect(db, blob);
      if (inspection.form === 'orbit') { await db.withClient((c) => deleteBlob(c, blob.id)); res.status(201).json({ ...blob, detail: inspection }); return; }
      await db.withClient((c) => setBlobDetail(c, blob.id, inspection));
      res.status(201).json({ ...blob, detail: inspection });
    } catch (e) {
      await db.withClient((c) => deleteBlob(c, blob.id));
      throw readable(e, name, log);
    }
  });

  /** A picked folder whose files have all arrived: looked at as one product. The first file stands for all of them from then on. */
  api.post('/studies/:id/folders/:folder', async (req, res) => {
    const studyId = idOf(req), folder = String(req.params.folder);
    const parts = await db.withClient((c) => listParts(c, studyId, folder)), name = parts[0]?.path.split('/')[0] ?? folder;
    if (parts.length === 0) throw notFound('folder');
    const remove = () => db.withClient(async (c) => { for (const p of parts) await deleteBlob(c, p.id); });
    try {
      const files: UploadedFiles = { zip: false, blobs: parts.map(({ id, path, size }) => ({ id, path, size })) }, inspection = await inspectProduct(await openUploaded(db, files), files);
      const first = await db.withTransaction(async (c) => { await setBlobPurpose(c, parts[0]!.id, 'upload'); await setBlobDetail(c, parts[0]!.id, inspection); await c.query('UPDATE blob SET name = $2, sha256 = $3 WHERE id = $1', [parts[0]!.id, name, digestOf(parts)]); return (await findBlob(c, parts[0]!.id))!; });
      res.status(201).json({ ...first, detail: inspection });
    } catch (e) { await remove(); throw readable(e, name, log); }
  });
  api.get('/studies/:id/uploads', async (req, res) => { res.json(await db.withClient((c) => listUploads(c, idOf(req)))); });
  api.delete('/uploads/:id', async (req, res) => {
    const id = idOf(req), blob = await db.withClient((c) => findBlob(c, id));
    if (blob?.purpose !== 'upload') throw notFound('upload');
    await db.withClient((c) => deleteBlob(c, id));
    res.status(204).end();
  });
}
