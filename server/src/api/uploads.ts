import type { Router } from 'express';
import { CancelledError } from '@hindglance/core/errors';
import { multiPolygonFrom } from '@hindglance/core/vector/polygons';
import { FormatError } from '@hindglance/formats/errors';
import { describeScene } from '@hindglance/formats/scene/describe';
import { openTiff } from '@hindglance/formats/tiff/readTiff';
import { BlobSource, type Blob, deleteBlob, findBlob, listUploads, receiveBlob, setBlobDetail } from '../db/blobs';
import type { Database } from '../db/pool';
import { AppError, errorBody, notFound } from '../errors';
import { idOf } from './http';
import type { Services } from './services';

const MAX_VECTOR_BYTES = 50 << 20;

/** What was found in an uploaded file. */
export type Inspection = { form: 'raster' | 'zones' } & Record<string, unknown>;

/** Looks into an uploaded file: what it is, what it says of itself, what must be asked for. @throws FormatError when it cannot be used */
export async function inspect(db: Database, blob: Blob): Promise<Inspection> {
  const source = new BlobSource(db, blob.id, blob.size);
  if (/\.(geo)?json$/i.test(blob.name)) return inspectZones(await source.read(0, Math.min(blob.size, MAX_VECTOR_BYTES + 1)), blob);
  const t = await openTiff(source);
  if (!t.grid) throw t.noPosition!;
  return { form: 'raster', width: t.width, height: t.height, sampleType: t.sampleType, nodata: t.nodata === null ? null : String(t.nodata), grid: t.grid, items: t.items, palette: t.palette, ...describeScene(t, blob.name) };
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

export function uploadRoutes(api: Router, { db, config, log }: Services): void {
  /** The body is the file; its name comes in the query. */
  api.post('/studies/:id/uploads', async (req, res) => {
    const name = (typeof req.query.name === 'string' ? req.query.name : '').replace(/^.*[/\\]/, '').trim();
    if (!name || name.length > 255 || [...name].some((ch) => ch < ' ')) throw new AppError(422, 'invalid', 'The file needs a name of 1 to 255 characters', 'name');
    const length = Number(req.headers['content-length'] ?? NaN);
    if (length > config.maxUploadBytes) throw new AppError(413, 'tooLarge', `${name} is larger than ${Math.round(config.maxUploadBytes / 2 ** 30)} GB, the most that can be taken`, 'file');
    const blob = await receiveBlob(db, { studyId: idOf(req), purpose: 'upload', name, maxBytes: config.maxUploadBytes }, req).catch((e) => { if (req.destroyed && !req.complete) throw new CancelledError('The upload broke off'); throw e; });
    if (Number.isFinite(length) && blob.size !== length) { await db.withClient((c) => deleteBlob(c, blob.id)); throw new AppError(400, 'incomplete', `Only ${blob.size} of ${length} bytes of ${name} arrived`, 'file', 'Send the file again.'); }
    try {
      const inspection = await inspect(db, blob);
      await db.withClient((c) => setBlobDetail(c, blob.id, inspection));
      res.status(201).json({ ...blob, detail: inspection });
    } catch (e) {
      await db.withClient((c) => deleteBlob(c, blob.id));
      const { body, status, expected } = errorBody(e);
      if (!expected) { log.error(e); throw new AppError(422, 'damaged', `${name} cannot be read`, 'file', 'Check that the file opens elsewhere.'); }
      throw new AppError(status, body.code, body.message.includes(name) ? body.message : `${name}: ${body.message}`, 'file', body.hint);
    }
  });
  api.get('/studies/:id/uploads', async (req, res) => { res.json(await db.withClient((c) => listUploads(c, idOf(req)))); });
  api.delete('/uploads/:id', async (req, res) => {
    const id = idOf(req), blob = await db.withClient((c) => findBlob(c, id));
    if (blob?.purpose !== 'upload') throw notFound('upload');
    await db.withClient((c) => deleteBlob(c, id));
    res.status(204).end();
  });
}
