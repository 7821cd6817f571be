import { ahead } from "@hindglance/core/graph/ahead";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { BLOCK } from "@hindglance/core/grid/grid";
import { type StoredBlock, blockWindow } from "../db/blocks";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { findKept, saveKept } from "../db/products";
import { addToLedger, touchStudy } from "../db/studies";
import type { RunKind } from "./engine";
import { imagePhases } from "./imagePhases";
import { evaluatorFor } from "./mapPhases";
import { rangeResults } from "./store";

/** One result to be computed and kept: a scene's chain up to a step. */
export interface PrepareItem {
  sceneId: string;
  sceneName: string;
  step: string;
  steps: Record<string, string>;
  hash: string;
  node: NodeSpec;
  info: ImageInfo;
  imageId: string;
}
export interface PrepareParams {
  items: PrepareItem[];
}

/**
 * Cells of one range: about a second of the whole chain, so that the dates of a small study keep
 * every worker busy too.
 */
const RANGE_CELLS = 1e6;

/**
 * Items of one step do not wait for each other: they share their phases. Groups follow one another,
 * so that a later one may read what an earlier one gave.
 */
export function groupsOf<
  T extends { step: string; info: { grid: { width: number; height: number } } },
>(items: readonly T[]): T[][] {
  const out: T[][] = [];
  const kind = (i: T) => `${i.step} ${i.info.grid.width} ${i.info.grid.height}`;
  for (const i of items) {
    if (out.length && kind(out.at(-1)![0]!) === kind(i)) {
      out.at(-1)!.push(i);
    } else {
      out.push([i]);
    }
  }
  return out;
}
interface Group {
  first: number;
  items: PrepareItem[];
  phases: ReturnType<typeof imagePhases>[];
}
/** Images of a group are of one size, so that they have the same phases. */
function layout(p: PrepareParams): Group[] {
  let first = 0;
  return groupsOf(p.items).map((items) => {
    const at = first;
    const name =
      items.length === 1
        ? `${items[0]!.sceneName}: ${items[0]!.step}`
        : `${items.length} dates: ${items[0]!.step}`;
    const phases = items.map((i, k) => imagePhases(i.info, i.imageId, at, name, RANGE_CELLS, k));
    first += phases[0]!.plan.length;
    return { first: at, items, phases };
  });
}
const groupAt = (p: PrepareParams, phase: number) => {
  const all = layout(p);
  let k = all.length - 1;
  while (all[k]!.first > phase) {
    k--;
  }
  return { ...all[k]!, index: k, all };
};

async function keep(g: Group, c: Client, runId: string): Promise<void> {
  for (const [k, item] of g.items.entries()) {
    await finishImage(
      c,
      item.imageId,
      await g.phases[k]!.facts((phase) => rangeResults(c, runId, phase)),
    );
    await saveKept(c, {
      hash: item.hash,
      imageId: item.imageId,
      sceneId: item.sceneId,
      step: item.step,
      steps: item.steps,
    });
  }
}

/** Runs chains in full; results are kept as soon as all of their step are whole. */
export const prepareDates: RunKind<PrepareParams> = {
  phases: (p) =>
    layout(p).flatMap((g) =>
      g.phases[0]!.plan.map((x) => ({ ...x, weight: x.weight * g.items.length })),
    ),
  async ranges(phase, p, c, run) {
    const g = groupAt(p, phase);
    if (phase === g.first && g.index > 0) {
      await keep(g.all[g.index - 1]!, c, run.id);
    }
    return g.phases.flatMap((x) => x.ranges(phase));
  },
  async work(phase, seq, p, ctx, run) {
    const g = groupAt(p, phase);
    const each = g.phases[0]!.ranges(phase).length;
    const k = Math.floor(seq / each);
    const { node, info } = g.items[k]!;
    const { width, height } = info.grid;
    const e = evaluatorFor(ctx);
    return g.phases[k]!.work(phase, seq - k * each, ctx, run.id, async (row, tell) => {
      const blocks: StoredBlock[] = [];
      const windows = Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) =>
        blockWindow(row, col, width, height),
      );
      await ahead(
        windows.length,
        (n) => e.read(node, 0, windows[n]!),
        (b, col) => {
          ctx.signal.throwIfAborted();
          b.bands.forEach((cells, band) => blocks.push({ level: 0, row, col, band, cells }));
          tell((col + 1) / windows.length);
        },
      );
      return blocks;
    });
  },
  async finish(p, _results, c, run) {
    await keep(layout(p).at(-1)!, c, run.id);
    await addToLedger(c, run.studyId!, "Dates prepared", {
      results: p.items.map((i) => ({ scene: i.sceneName, step: i.step, node: i.hash })),
    });
    await touchStudy(c, run.studyId!);
    return { results: p.items.map((i) => i.hash) };
  },
  async discard(p, c) {
    const kept = new Set(
      (
        await findKept(
          c,
          p.items.map((i) => i.hash),
        )
      ).values(),
    );
    for (const i of p.items) {
      if (!kept.has(i.imageId)) {
        await deleteImage(c, i.imageId);
      }
    }
  },
};
