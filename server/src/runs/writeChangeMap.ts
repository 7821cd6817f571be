import type { ChangeSetup } from '@hindglance/core/change/setup';
import { LONLAT, transformer } from '@hindglance/core/geodesy/crs';
import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import { cellAreas } from '@hindglance/core/grid/area';
import { BLOCK, type Grid, levelCount, toMap } from '@hindglance/core/grid/grid';
import { polygonise } from '@hindglance/core/patches/polygonise';
import { RunsBuilder } from '@hindglance/core/patches/runs';
import { labelRuns } from '@hindglance/core/patches/label';
import type { TallyData } from '@hindglance/core/tally/tally';
import { patchGeometry } from '@hindglance/formats/tables/geojson';
import { readBlocks, removeBlocks, writeBlocks } from '../db/blocks';
import { type Patch, type Provenance, createChangeMap, writePatches } from '../db/changeMaps';
import { deleteImage, finishImage } from '../db/images';
import type { Database } from '../db/pool';
import { addToLedger, touchStudy } from '../db/studies';
import { AppError } from '../errors';
import type { RunKind } from './engine';
import { type ZonePolygons, classRows, gatherPhases, mergeTallies } from './mapPhases';
import { buildLevel, levelRanges } from './pyramidPhase';
import { rowRanges } from './ranges';

export interface ChangeMapParams { changeMapId: string; imageId: string; name: string; node: NodeSpec; nodeHash: string; info: ImageInfo; setup: ChangeSetup; zones: ZonePolygons; provenance: Provenance }

const levels = (p: ChangeMapParams) => levelCount(p.info.grid.width, p.info.grid.height);
const cellPhase = (p: ChangeMapParams) => gatherPhases(p.node).plan.length, patchPhase = (p: ChangeMapParams) => cellPhase(p) + levels(p);
/** Patches beyond this number say that the map is noise; the figure keeps a run's memory within its bound. */
const MAX_PATCHES = 2_000_000;

/** Writes a change map: labels with overviews, the tally by zone, the patches as polygons. */
export const writeChangeMap: RunKind<ChangeMapParams> = {
  phases: (p) => [...gatherPhases(p.node).plan, { name: 'Classifying', weight: 4 }, ...Array.from({ length: levels(p) - 1 }, (_v, i) => ({ name: 'Overviews', weight: 0.5 / 4 ** i })), { name: 'Patches', weight: 1.5 }],
  async ranges(phase, p, c) {
    const cells = cellPhase(p);
    if (phase < cells) return gatherPhases(p.node).ranges(phase, p.info, c);
    if (phase === patchPhase(p)) return [1];
    if (phase === cells) return rowRanges(p.info.grid.width, p.info.grid.height, 6e6).map((r) => r.cells);
    return levelRanges(p.info, phase - cells).map((r) => r.cells);
  },
  async work(phase, seq, p, ctx) {
    const cells = cellPhase(p);
    if (phase < cells) return gatherPhases(p.node).work(phase, seq, p.info, ctx);
    if (phase === cells) {
      const range = rowRanges(p.info.grid.width, p.info.grid.height, 6e6)[seq]!;
      const { tally, blocks } = await classRows(p.node, p.info, range, p.zones, ctx, true);
      return { result: tally, write: async (c) => { await removeBlocks(c, p.imageId, 0, range.from, range.to); await writeBlocks(c, p.imageId, blocks); } };
    }
    if (phase < patchPhase(p)) return { write: await buildLevel(ctx.db, p.imageId, p.info, phase - cells, levelRanges(p.info, phase - cells)[seq]!, ctx.signal) };
    const patches = await patchesOf(ctx.db, p, ctx.signal);
    return { write: (c) => writePatches(c, p.changeMapId, patches) };
  },
  async finish(p, results, c, run) {
    await finishImage(c, p.imageId, { statistics: null, histograms: null, looks: null });
    const tally = mergeTallies(await results<TallyData>(cellPhase(p)));
    await createChangeMap(c, { id: p.changeMapId, studyId: run.studyId!, name: p.name, imageId: p.imageId, nodeHash: p.nodeHash, setup: p.setup, provenance: p.provenance, tally });
    await addToLedger(c, run.studyId!, 'Change map written', { changeMap: p.changeMapId, name: p.name, node: p.nodeHash, before: p.provenance.before.name, after: p.provenance.after.name, setup: p.setup });
    await touchStudy(c, run.studyId!);
    return { changeMapId: p.changeMapId };
  },
  async discard(p, c) { await c.query('DELETE FROM patch WHERE change_map_id = $1', [p.changeMapId]); await deleteImage(c, p.imageId); },
};

/** Patches of a stored class image, largest first. */
async function patchesOf(db: Database, p: ChangeMapParams, signal: AbortSignal): Promise<Patch[]> {
  const { width, height } = p.info.grid, across = Math.ceil(width / BLOCK), builder = new RunsBuilder(width, height);
  for (let row = 0; row * BLOCK < height; row++) {
    signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK), strip = new Uint8Array(width * h);
    for (const b of await db.withClient((c) => readBlocks(c, p.imageId, 0, row, row + 1, 0, across))) {
      const w = Math.min(BLOCK, width - b.col * BLOCK);
      for (let r = 0; r < h; r++) strip.set((b.cells as Uint8Array).subarray(r * w, (r + 1) * w), r * width + b.col * BLOCK);
    }
    for (let r = 0; r < h; r++) builder.addRow(strip.subarray(r * width, (r + 1) * width));
  }
  const runs = builder.finish(), neighbours = p.setup.limits.neighbours;
  const count = labelRuns(runs, neighbours).count;
  if (count > MAX_PATCHES) throw new AppError(422, 'tooManyPatches', `This map falls into ${count.toLocaleString('en')} patches, which is noise and not a map`, 'setup.limits.minPatchCells', 'Use a speckle filter or a larger minimum patch.');
  return polygonise(runs, neighbours, cellAreas(p.info.grid)).sort((a, b) => b.cells - a.cells).map((s, i) => ({ number: i + 1, label: s.label, cells: s.cells, areaM2: s.areaM2, ...bounds(s.polygons.flatMap((poly) => poly[0]!), p.info.grid), geometry: JSON.stringify(patchGeometry(s, p.info.grid)) }));
}

function bounds(points: [number, number][], g: Grid): { west: number; south: number; east: number; north: number } {
  const t = transformer(g.crs, LONLAT);
  let c0 = Infinity, c1 = -Infinity, r0 = Infinity, r1 = -Infinity;
  for (const [c, r] of points) { c0 = Math.min(c0, c); c1 = Math.max(c1, c); r0 = Math.min(r0, r); r1 = Math.max(r1, r); }
  const corners = ([[c0, r0], [c1, r0], [c1, r1], [c0, r1]] as const).map(([c, r]) => t(...toMap(g, c, r)));
  const lon = corners.map((x) => x[0]), lat = corners.map((x) => x[1]);
  return { west: Math.min(...lon), south: Math.min(...lat), east: Math.max(...lon), north: Math.max(...lat) };
}
