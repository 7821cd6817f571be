import { randomUUID } from 'node:crypto';
import type { Router } from 'express';
import * as yup from 'yup';
import { transformer, LONLAT } from '@hindglance/core/geodesy/crs';
import type { BandInfo, BandRole, ImageInfo } from '@hindglance/core/graph/image';
import { type Grid, levelCount, outline } from '@hindglance/core/grid/grid';
import { SCENE_KINDS, type SceneKind } from '@hindglance/formats/scene/describe';
import { isSensorFrame } from '@hindglance/core/radar/sensor';
import { multiPolygonFrom } from '@hindglance/core/vector/polygons';
import { readSafe } from '@hindglance/formats/product/safe';
import { type Blob, BlobSource, deleteBlob, findBlob, setBlobPurpose } from '../db/blobs';
import { createImage, sweepImages } from '../db/images';
import { type Scene, createScene, createZones, deleteScene, deleteZones, findScene, listScenes, listZones, setSceneRun, updateScene } from '../db/scenes';
import type { Client } from '../db/pool';
import { deleteOrbit, listOrbits, saveLuts } from '../db/products';
import { addToLedger, findStudy, touchStudy } from '../db/studies';
import { AppError, notFound } from '../errors';
import { classesFrom } from '../runs/importScene';
import { partGrid, partOf, partOutline } from '../products/part';
import { type UploadedFiles, openUploaded } from '../products/uploaded';
import { checked, idOf } from './http';
import type { Services } from './services';

const iso = yup.string().matches(/^\d{4}-\d\d-\d\dT\d\d:\d\d(:\d\d(\.\d+)?)?Z$/, '${path} must be a UTC time such as 2025-05-02T18:41:10Z').test('real', '${path} is not a date', (v) => v == null || !Number.isNaN(Date.parse(v)));
const createSchema = yup.object({
  uploadId: yup.string().uuid().required(), kind: yup.string().oneOf(SCENE_KINDS).required(), name: yup.string().trim().min(1).max(120), acquiredAt: iso.nullable(),
  bands: yup.array(yup.object({ polarisation: yup.string().oneOf(['VV', 'VH', 'HH', 'HV']).nullable(), unit: yup.string().oneOf(['power', 'dB']).nullable() }).noUnknown()),
}).noUnknown();
const updateSchema = yup.object({ name: yup.string().trim().min(1, 'Give the scene a name').max(120), acquiredAt: iso.nullable() }).noUnknown();
const zonesSchema = yup.object({ uploadId: yup.string().uuid().required(), name: yup.string().trim().min(1).max(120), nameField: yup.string() }).noUnknown();

/** A scene as the page gets it: with its outline on the globe. */
export const sceneView = (s: Scene) => ({ ...s, detail: { ...s.detail, sensor: undefined, files: undefined }, footprint: (s.detail.outline as [number, number][] | undefined) ?? (s.info && !isSensorFrame(s.info.grid.crs) ? footprint(s.info.grid) : null) });
export function footprint(g: Grid): [number, number][] { const t = transformer(g.crs, LONLAT); return outline(g).map(([x, y]) => t(x, y)); }

interface RasterDetail { form: string; width: number; height: number; grid: Grid; kind: SceneKind | null; acquiredAt: string | null; bands: BandInfo[]; items: Record<string, string>; palette: string[] | null }

/** What the bands of a scene are, from the file and from what the person said. */
function bandsFor(kind: SceneKind, d: RasterDetail, said: { polarisation?: string | null; unit?: string | null }[] | undefined): BandInfo[] {
  return d.bands.map((b, i) => {
    const s = said?.[i], polarisation = s?.polarisation ?? b.polarisation;
    const role: BandRole = kind === 'elevation' ? 'elevation' : kind === 'classes' ? 'classes' : kind === 'radar' ? ((s?.unit ? s.unit === 'dB' : b.role === 'decibel') ? 'decibel' : 'power') : 'value';
    return { ...b, role, unit: role === 'elevation' ? b.unit || 'm' : role === 'decibel' ? 'dB' : role === 'power' ? '' : b.unit, ...(polarisation ? { polarisation } : {}) };
  });
}

export function sceneRoutes(api: Router, { db, engine }: Services): void {
  /** A radar product becomes a scene in sensor geometry; with a study area only the part that shows it is kept. */
  async function createFromProduct(c: Client, studyId: string, blob: Blob, name: string | undefined): Promise<{ scene: Scene; runId: string }> {
    const files = blob.detail!.files as UploadedFiles, study = (await findStudy(c, studyId))!, p = await readSafe(await openUploaded(db, files));
    const { part, leftOut } = partOf(p.sensor, study.studyArea ? multiPolygonFrom(study.studyArea) : null, p.name);
    const info: ImageInfo = { grid: partGrid(randomUUID(), part), type: 'float32', stored: 'uint16', bands: p.polarisations.map((x) => ({ name: `amplitude ${x.name}`, unit: 'DN', role: 'amplitude', polarisation: x.name })), sensor: p.sensor };
    const imageId = await createImage(c, info, levelCount(part.width, part.height)), acquiredAt = (blob.detail!.acquiredAt as string);
    await saveLuts(c, imageId, p.luts);
    const detail = { form: 'product', product: p.name, mission: p.mission, mode: p.mode, productType: p.productType, pass: p.pass, look: p.look, start: p.start, stop: p.stop, absoluteOrbit: p.absoluteOrbit, polarisations: p.polarisations.map((x) => x.name), incidenceDeg: p.incidenceDeg, lines: p.sensor.lines, samples: p.sensor.samples, sampleSpacingM: p.sensor.sampleSpacingM, lineSpacingM: p.sensor.lineSpacingM, part, leftOut, warnings: p.warnings, outline: partOutline(p.sensor, part), sensor: p.sensor };
    const sceneId = await createScene(c, { studyId, kind: 'radar', name: name ?? `${p.mission} ${p.mode}, ${acquiredAt.slice(0, 10)}`, acquiredAt, fileName: blob.name, fileSize: files.blobs.reduce((s, x) => s + x.size, 0), fileSha256: blob.sha256!, detail });
    for (const f of files.blobs) await setBlobPurpose(c, f.id, 'import');
    const runId = await engine.submit(c, { studyId, kind: 'importProduct', title: `Import ${p.name}`, params: { sceneId, imageId, info, fileName: blob.name, files, polarisations: p.polarisations, part, leftOut } });
    await setSceneRun(c, sceneId, runId);
    await touchStudy(c, studyId);
    return { scene: (await findScene(c, sceneId))!, runId };
  }

  api.get('/studies/:id/scenes', async (req, res) => { res.json((await db.withClient((c) => listScenes(c, idOf(req)))).map(sceneView)); });
  api.post('/studies/:id/scenes', async (req, res) => {
    const studyId = idOf(req), b = checked(createSchema, req.body, 'body');
    const out = await db.withTransaction(async (c) => {
      const blob = await findBlob(c, b.uploadId);
      if (!blob || blob.studyId !== studyId || blob.purpose !== 'upload' || blob.state !== 'ready') throw new AppError(422, 'invalid', 'This upload is not there, or was imported already', 'uploadId');
      if (blob.detail?.form === 'product') return createFromProduct(c, studyId, blob, b.name);
      const d = blob.detail as unknown as RasterDetail;
      if (d?.form !== 'raster') throw new AppError(422, 'invalid', `${blob.name} holds zones, not an image`, 'uploadId');
      const kind = b.kind as SceneKind, acquiredAt = b.acquiredAt !== undefined ? b.acquiredAt : d.acquiredAt;
      if (!acquiredAt && kind !== 'elevation') throw new AppError(422, 'invalid', `When was ${blob.name} taken? The file does not say`, 'acquiredAt', 'Give the date and time in UTC.');
      if ((kind === 'elevation' || kind === 'classes') && d.bands.length !== 1) throw new AppError(422, 'invalid', `${blob.name} has ${d.bands.length} bands; ${kind === 'elevation' ? 'elevation' : 'a classified raster'} has one`, 'kind');
      const bands = bandsFor(kind, d, b.bands as never);
      if (kind === 'radar' && bands.some((x) => !x.polarisation)) throw new AppError(422, 'invalid', `Which polarisation has ${blob.name}? The file does not say`, 'bands', 'Give VV, VH, HH or HV for every band.');
      const info: ImageInfo = { grid: d.grid, type: kind === 'classes' ? 'class8' : 'float32', bands, ...(kind === 'classes' ? { classes: classesFrom(d.items.LEGEND, d.palette, Array.from({ length: 255 }, (_v, i) => i).filter((i) => (d.items.LEGEND ? new RegExp(`(^|;)\\s*${i}=`).test(d.items.LEGEND) : i > 0 && i < 33))) } : {}) };
      const imageId = await createImage(c, info, levelCount(d.grid.width, d.grid.height));
      const sceneId = await createScene(c, { studyId, kind, name: b.name ?? blob.name.replace(/\.[^.]+$/, ''), acquiredAt: kind === 'elevation' ? (acquiredAt ?? null) : acquiredAt!, fileName: blob.name, fileSize: blob.size, fileSha256: blob.sha256!, detail: { ...d, grid: undefined, bands: undefined } });
      await setBlobPurpose(c, blob.id, 'import');
      const runId = await engine.submit(c, { studyId, kind: 'importScene', title: `Import ${blob.name}`, params: { sceneId, blobId: blob.id, imageId, info, fileName: blob.name } });
      await setSceneRun(c, sceneId, runId);
      await touchStudy(c, studyId);
      return { scene: (await findScene(c, sceneId))!, runId };
    });
    res.status(202).json({ scene: sceneView(out.scene), runId: out.runId });
  });
  api.patch('/scenes/:id', async (req, res) => {
    const id = idOf(req), b = checked(updateSchema, req.body, 'body');
    const s = await db.withTransaction(async (c) => {
      const old = await findScene(c, id);
      if (!old) throw notFound('scene');
      if (b.acquiredAt === null && old.kind !== 'elevation') throw new AppError(422, 'invalid', 'A scene needs its date', 'acquiredAt');
      await updateScene(c, id, b);
      await addToLedger(c, old.studyId, 'Scene changed', { scene: id, ...b });
      return (await findScene(c, id))!;
    });
    res.json(sceneView(s));
  });
  api.delete('/scenes/:id', async (req, res) => {
    const id = idOf(req);
    const s = await db.withClient((c) => findScene(c, id));
    if (!s) throw notFound('scene');
    if (s.runId) await engine.cancel(s.runId);
    await db.withTransaction(async (c) => { await deleteScene(c, id); await sweepImages(c); await addToLedger(c, s.studyId, 'Scene removed', { scene: id, name: s.name, file: s.fileName }); });
    res.status(204).end();
  });

  api.get('/studies/:id/orbits', async (req, res) => { res.json(await db.withClient((c) => listOrbits(c, idOf(req)))); });
  api.delete('/orbits/:id', async (req, res) => {
    const study = await db.withTransaction(async (c) => { const s = await deleteOrbit(c, idOf(req)); if (s) await addToLedger(c, s, 'Orbit file removed', { orbit: idOf(req) }); return s; });
    if (!study) throw notFound('orbit file');
    res.status(204).end();
  });

  api.get('/studies/:id/zones', async (req, res) => { res.json(await db.withClient((c) => listZones(c, idOf(req)))); });
  api.post('/studies/:id/zones', async (req, res) => {
    const studyId = idOf(req), b = checked(zonesSchema, req.body, 'body');
    const z = await db.withTransaction(async (c) => {
      const blob = await findBlob(c, b.uploadId);
      const d = blob?.detail as unknown as { form: string; nameField: string | null; nameFields: string[] };
      if (!blob || blob.studyId !== studyId || blob.purpose !== 'upload' || d?.form !== 'zones') throw new AppError(422, 'invalid', 'This upload is not there, or holds no zones', 'uploadId');
      const nameField = b.nameField ?? d.nameField;
      if (!nameField || !d.nameFields.includes(nameField)) throw new AppError(422, 'invalid', nameField ? `Not every zone of ${blob.name} has a "${nameField}"` : `The zones of ${blob.name} have no name`, 'nameField', 'Every zone needs a property with its name.');
      const features = JSON.parse(new TextDecoder().decode(await new BlobSource(db, blob.id, blob.size).read(0, blob.size))) as object;
      const out = await createZones(c, { studyId, name: b.name ?? blob.name.replace(/\.[^.]+$/, ''), fileName: blob.name, fileSha256: blob.sha256!, nameField, features });
      await deleteBlob(c, blob.id);
      await addToLedger(c, studyId, 'Zones imported', { zones: out.id, file: blob.name, nameField });
      await touchStudy(c, studyId);
      return out;
    });
    res.status(201).json(z);
  });
  api.delete('/zones/:id', async (req, res) => {
    const study = await db.withTransaction(async (c) => { const s = await deleteZones(c, idOf(req)); if (s) await addToLedger(c, s, 'Zones removed', { zones: idOf(req) }); return s; });
    if (!study) throw notFound('zone layer');
    res.status(204).end();
  });
}
