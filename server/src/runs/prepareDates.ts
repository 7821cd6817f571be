import { ahead } from '@hindglance/core/graph/ahead';
import type { ImageInfo } from '@hindglance/core/graph/image';
import type { NodeSpec } from '@hindglance/core/graph/node';
import { BLOCK } from '@hindglance/core/grid/grid';
import { type StoredBlock, blockWindow } from '../db/blocks';
import { deleteImage, finishImage } from '../db/images';
import type { Client } from '../db/pool';
import { findKept, saveKept } from '../db/products';
import { addToLedger, touchStudy } from '../db/studies';
import type { RunKind } from './engine';
import { imagePhases } from './imagePhases';
import { evaluatorFor } from './mapPhases';
import { rangeResults } from './store';

/** One result to be computed and kept: a scene's chain up to a step. */
export interface PrepareItem { sceneId: string; sceneName: string; step: string; steps: Record<string, string>; hash: string; node: NodeSpec; info: ImageInfo; imageId: string }
export interface PrepareParams { items: PrepareItem[] }

/** Cells of one range: some seconds of the whole chain. */
const RANGE_CELLS = 3e6;

/** Phases of all items, one after another; `first` is where an item begins. */
function layout(p: PrepareParams): { item: PrepareItem; first: number; phases: ReturnType<typeof imagePhases> }[] {
  let first = 0;
  return p.items.map((item) => { const phases = imagePhases(item.info, item.imageId, first, `${item.sceneName}: ${item.step}`, RANGE_CELLS), at = first; first += phases.plan.length; return { item, first: at, phases }; });
}
const partAt = (p: PrepareParams, phase: number) => { const all = layout(p); let k = all.length - 1; while (all[k]!.first > phase) k--; return { ...all[k]!, index: k, all }; };

async function keep(l: ReturnType<typeof layout>[0], c: Client, runId: string): Promise<void> {
  await finishImage(c, l.item.imageId, await l.phases.facts((phase) => rangeResults(c, runId, phase)));
  await saveKept(c, { hash: l.item.hash, imageId: l.item.imageId, sceneId: l.item.sceneId, step: l.item.step, steps: l.item.steps });
}

/** Runs chains in full, one result after another, each kept as soon as it is whole: a later item may read an earlier one. */
export const prepareDates: RunKind<PrepareParams> = {
  phases: (p) => layout(p).flatMap((l) => l.phases.plan),
  async ranges(phase, p, c, run) {
    const l = partAt(p, phase);
    if (phase === l.first && l.index > 0) await keep(l.all[l.index - 1]!, c, run.id);
    return l.phases.ranges(phase);
  },
  async work(phase, seq, p, ctx, run) {
    const l = partAt(p, phase), { node, info } = l.item, { width, height } = info.grid, e = evaluatorFor(ctx);
    return l.phases.work(phase, seq, ctx, run.id, async (row, tell) => {
      const blocks: StoredBlock[] = [], windows = Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) => blockWindow(row, col, width, height));
      await ahead(windows.length, (k) => e.read(node, 0, windows[k]!), (b, col) => { ctx.signal.throwIfAborted(); b.bands.forEach((cells, band) => blocks.push({ level: 0, row, col, band, cells })); tell((col + 1) / windows.length); });
      return blocks;
    });
  },
  async finish(p, _results, c, run) {
    await keep(layout(p).at(-1)!, c, run.id);
    await addToLedger(c, run.studyId!, 'Dates prepared', { results: p.items.map((i) => ({ scene: i.sceneName, step: i.step, node: i.hash })) });
    await touchStudy(c, run.studyId!);
    return { results: p.items.map((i) => i.hash) };
  },
  async discard(p, c) {
    const kept = new Set((await findKept(c, p.items.map((i) => i.hash))).values());
    for (const i of p.items) if (!kept.has(i.imageId)) await deleteImage(c, i.imageId);
  },
};
