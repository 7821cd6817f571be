import { InputError } from '@hindglance/core/errors';
import { nativeCellM, proposeGrid } from '@hindglance/core/chain/proposeGrid';
import { CHAIN_STEPS, type ChainCell, type ChainExceptions, type ChainScene, type ChainStep, type Elevation, type RadarChain, chainNodes, floodChain, settingsFor } from '@hindglance/core/chain/radarChain';
import { Evaluator } from '@hindglance/core/graph/evaluator';
import type { ImageInfo } from '@hindglance/core/graph/image';
import { type NodeSpec, nodeHash } from '@hindglance/core/graph/node';
import { versionOf } from '@hindglance/core/graph/registry';
import { multiPolygonFrom } from '@hindglance/core/vector/polygons';
import { azimuthFactor, vectorsAround } from '@hindglance/core/radar/luts';
import type { Client } from '../db/pool';
import { type StoredOrbit, findKept, listKept, listOrbits, orbitVectors } from '../db/products';
import { type Scene, listScenes } from '../db/scenes';
import { type Study, findStudy } from '../db/studies';
import type { StoredSources } from '../eval/sources';
import { AppError, notFound } from '../errors';
import { groupsOf } from '../runs/prepareDates';
import { orbitFor } from './orbits';

export interface PrepareState { chain: RadarChain; exceptions: ChainExceptions; heldOut: string[] }
type ReadyScene = Scene & { imageId: string; info: ImageInfo };

/** Everything that decides a study's radar chain, and the nodes that follow from it. */
export interface Preparation { study: Study; state: PrepareState; products: ReadyScene[]; elevations: ReadyScene[]; orbits: Map<string, StoredOrbit | null>; nodes: ReturnType<typeof chainNodes> }

export const isProduct = (s: Scene): s is ReadyScene => s.imageId !== null && s.info !== null && s.info.sensor !== undefined;

/** @param given settings to look at instead of the stored ones */
export async function preparation(c: Client, studyId: string, given?: PrepareState): Promise<Preparation> {
  const study = await findStudy(c, studyId);
  if (!study) throw notFound('study');
  const scenes = await listScenes(c, studyId), products = scenes.filter(isProduct), elevations = scenes.filter((s): s is ReadyScene => s.kind === 'elevation' && s.imageId !== null && s.info !== null), files = await listOrbits(c, studyId);
  const stored = study.chain as PrepareState | null, state = given ?? stored ?? { chain: proposedChain(study, products, elevations), exceptions: {}, heldOut: [] };
  const orbits = new Map(products.map((s) => [s.id, orbitFor(files, s)])), parts = [];
  for (const s of products.filter((x) => !state.heldOut.includes(x.id))) {
    const o = orbits.get(s.id) ?? null, m = s.info.sensor!, settings = settingsFor(state.chain, state.exceptions, s.id), z = elevations.find((e) => e.id === settings.terrain.elevationId) ?? null;
    const scene: ChainScene = { id: s.id, imageId: s.imageId, info: s.info, orbit: o ? { kind: o.kind, vectors: await orbitVectors(c, o.id, m.firstLineT, m.firstLineT + m.lines * m.lineIntervalS) } : null };
    parts.push({ scene, settings, elevation: z ? ({ imageId: z.imageId, info: z.info } satisfies Elevation) : null });
  }
  return { study, state, products, elevations, orbits, nodes: chainNodes(parts) };
}

/** Where a study begins: settings that suit floods, on a grid made of its own cells and area. */
function proposedChain(study: Study, products: ReadyScene[], elevations: ReadyScene[]): RadarChain {
  const m = products[0]?.info.sensor, looks = products.map((s) => s.looks?.[0]).filter((v): v is number => v != null), ring = study.studyArea ? multiPolygonFrom(study.studyArea).flatMap((p) => p[0]!) : products.flatMap((s) => s.detail.outline as [number, number][]);
  const grid = proposeGrid(ring.length ? ring : [[0, 0], [0.01, 0.01]], m ? nativeCellM(m.sampleSpacingM, m.lineSpacingM, 1, 1) : 10);
  return floodChain(grid, { elevationId: elevations[0]?.id ?? null, looks: looks.length ? looks.reduce((a, b) => a + b) / looks.length : 4.4, rangeLooks: 1, azimuthLooks: 1 });
}

export type CellState = 'skipped' | 'waiting' | 'running' | 'done' | 'stale' | 'error' | 'blocked' | 'held';
export interface BoardCell { step: ChainStep; state: CellState; text: string; warnings: string[]; error: { message: string; hint?: string } | null; progress?: number; exception: boolean }
export interface BoardRow { sceneId: string; name: string; acquiredAt: string; pass: string; cells: BoardCell[]; result: string | null; ready: boolean; runId: string | null; looks: number | null }

/** The board: scenes down, steps across, with what each cell holds and how far it is. */
export async function board(c: Client, p: Preparation, sources: StoredSources): Promise<BoardRow[]> {
  const kept = await listKept(c, p.study.id), hashes = new Set(kept.map((k) => k.hash)), runs = await openRuns(c, p.study.id), evaluator = new Evaluator({ sources }), rows: BoardRow[] = [];
  for (const s of p.products) {
    const base = { sceneId: s.id, name: s.name, acquiredAt: s.acquiredAt!, pass: String(s.detail.pass), looks: s.looks?.[0] ?? null }, n = p.nodes.get(s.id);
    if (!n) { rows.push({ ...base, cells: CHAIN_STEPS.map((step) => ({ step, state: 'held', text: '', warnings: [], error: null, exception: false })), result: null, ready: false, runId: null }); continue; }
    const result = nodeHash(n.power, versionOf), ready = hashes.has(result), run = runs.find((r) => r.hashes.includes(result)), mine = kept.filter((k) => k.sceneId === s.id);
    let failed: InputError | null = null;
    const cells: BoardCell[] = [], share = run ? run.share(s.id) : 0;
    for (const cell of n.cells) {
      const plain = { step: cell.step, warnings: cell.warnings, error: null, exception: p.state.exceptions[s.id]?.[cell.step] !== undefined };
      if (failed) { cells.push({ ...plain, state: 'blocked', text: 'waits' }); continue; }
      try {
        if (n.error && cell.step === 'flatten') throw n.error;
        if (cell.skipped) { cells.push({ ...plain, state: 'skipped', text: 'skipped' }); continue; }
        const info = await evaluator.info(cell.output), text = await cellText(cell, info, s, settingsFor(p.state.chain, p.state.exceptions, s.id), sources, p.orbits.get(s.id) ?? null);
        const hash = nodeHash(cell.output, versionOf), done = ready || hashes.has(hash) || mine.some((k) => k.steps[cell.step] === hash);
        cells.push({ ...plain, text, state: done ? 'done' : run ? 'running' : mine.length ? 'stale' : 'waiting', ...(run && !done ? { progress: share } : {}) });
      } catch (e) {
        if (!(e instanceof InputError)) throw e;
        failed = e;
        cells.push({ ...plain, state: 'error', text: 'cannot run', error: { message: e.message, hint: e.hint } });
      }
    }
    rows.push({ ...base, cells, result: failed ? null : result, ready, runId: run?.id ?? null });
  }
  return rows;
}

const BETA: Record<string, string> = { beta: 'β⁰', sigma: 'σ⁰', gamma: 'γ⁰' };
async function cellText(cell: ChainCell, info: ImageInfo, s: ReadyScene, c: RadarChain, sources: StoredSources, orbit: StoredOrbit | null): Promise<string> {
  const g = info.grid;
  switch (cell.step) {
    case 'orbit': return orbit ? `${orbit.kind}, ${info.sensor!.orbit.length} vectors` : `own, ${info.sensor!.orbit.length} vectors`;
    case 'noise': { const floor = await noiseFloor(s, sources); return floor === null ? 'no vectors' : `${floor < 0 ? '−' : ''}${Math.abs(floor).toFixed(1)} dB floor`; }
    case 'calibrate': return `${BETA[c.calibrate.to]} ${info.bands.map((b) => b.polarisation).join(' ')}`;
    case 'looks': return `${+(info.sensor!.sampleSpacingM * g.transform[1]).toFixed(1)} x ${+(info.sensor!.lineSpacingM * g.transform[5]).toFixed(1)} m`;
    case 'speckle': return `${c.speckle.filter === 'refinedLee' ? 7 : c.speckle.windowCells} x ${c.speckle.filter === 'refinedLee' ? 7 : c.speckle.windowCells}`;
    case 'flatten': return 'γ⁰ of terrain';
    case 'terrain': return `${g.width} x ${g.height}`;
    case 'acrossDates': return `${cell.output.inputs.length} dates`;
    case 'decibel': return 'dB';
  }
}

/** Noise-equivalent sigma nought in the middle of the scene, dB. */
async function noiseFloor(s: ReadyScene, sources: StoredSources): Promise<number | null> {
  const m = s.info.sensor!, luts = (await sources.luts(s.imageId))[s.info.bands[0]!.polarisation!];
  if (!luts || luts.noiseRange.length === 0) return null;
  const line = m.lines / 2, at = (v: typeof luts.sigma) => { const e = v[vectorsAround(v, line).a]!; return e.values[e.values.length >> 1]!; };
  return 10 * Math.log10((at(luts.noiseRange) * azimuthFactor(luts.noiseAzimuth, line, m.samples / 2)) / at(luts.sigma) ** 2);
}

interface OpenRun { id: string; hashes: string[]; share(sceneId: string): number }
/** Prepare runs under way, and how far each scene is in them. Dates of one step go along together. */
async function openRuns(c: Client, study: string): Promise<OpenRun[]> {
  const runs = (await c.query<{ id: string; phase: number; phases: { weight: number }[]; items: { sceneId: string; hash: string; step: string }[]; done: number | null; all: number | null }>(
    `SELECT r.id, r.phase, r.phases, (SELECT jsonb_agg(jsonb_build_object('sceneId', x->'sceneId', 'hash', x->'hash', 'step', x->'step')) FROM jsonb_array_elements(r.params->'items') x) AS items,
      (SELECT sum(g.weight * g.progress)::float8 FROM run_range g WHERE g.run_id = r.id AND g.phase = r.phase) AS done, (SELECT sum(g.weight)::float8 FROM run_range g WHERE g.run_id = r.id AND g.phase = r.phase) AS all
     FROM run r WHERE r.study_id = $1 AND r.kind = 'prepareDates' AND r.state = 'running'`, [study])).rows;
  return runs.map((r) => {
    const groups = groupsOf(r.items), each = r.phases.length / groups.length, now = r.all ? (r.done ?? 0) / r.all : 0;
    /** Share of a group that is done, by the weights of its phases. */
    const of = (k: number) => { const mine = r.phases.slice(k * each, (k + 1) * each), total = mine.reduce((n, x) => n + x.weight, 0) || 1; return mine.reduce((n, x, i) => { const p = k * each + i; return n + x.weight * (p < r.phase ? 1 : p === r.phase ? now : 0); }, 0) / total; };
    return { id: r.id, hashes: r.items.map((i) => i.hash), share: (sceneId) => { const mine = groups.map((g, k) => [g.some((i) => i.sceneId === sceneId), k] as const).filter(([m]) => m).map(([, k]) => k); return Math.max(0, Math.min(1, mine.reduce((s, k) => s + of(k), 0) / Math.max(1, mine.length))); } };
  });
}

/** What is still to be computed, in an order in which later results find earlier ones. */
export async function leftToRun(c: Client, p: Preparation, sources: StoredSources, sceneIds: readonly string[] | null): Promise<{ sceneId: string; sceneName: string; step: string; steps: Record<string, string>; hash: string; node: NodeSpec; info: ImageInfo }[]> {
  const evaluator = new Evaluator({ sources }), wanted = p.products.filter((s) => p.nodes.has(s.id) && (!sceneIds || sceneIds.includes(s.id))), out: Awaited<ReturnType<typeof leftToRun>> = [], running = new Set((await openRuns(c, p.study.id)).flatMap((r) => r.hashes));
  const add = async (s: ReadyScene, step: string, node: NodeSpec) => { const hash = nodeHash(node, versionOf); if (!out.some((x) => x.hash === hash) && !running.has(hash)) out.push({ sceneId: s.id, sceneName: s.name, step, steps: Object.fromEntries(p.nodes.get(s.id)!.cells.map((x) => [x.step, nodeHash(x.output, versionOf)])), hash, node, info: await evaluator.info(node) }); };
  const joint = wanted.some((s) => !p.nodes.get(s.id)!.cells.find((x) => x.step === 'acrossDates')!.skipped);
  for (const s of joint ? p.products.filter((x) => p.nodes.has(x.id)) : wanted) {
    const n = p.nodes.get(s.id)!;
    if (n.error) throw new AppError(422, 'invalid', `${s.name}: ${n.error.message}`, n.error.field, n.error.hint);
    await add(s, 'Terrain', n.cells.find((x) => x.step === 'terrain')!.output);
  }
  for (const s of wanted) await add(s, 'Across dates', p.nodes.get(s.id)!.power);
  const kept = await findKept(c, out.map((x) => x.hash));
  return out.filter((x) => !kept.has(x.hash));
}
