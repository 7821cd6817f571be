import { type PrepareItem, type PrepareParams, groupsOf } from "../products/plans";
import { ahead } from "@hindglance/core/graph/ahead";
import { BLOCK } from "@hindglance/core/grid/grid";
import { type StoredBlock, blockWindow } from "../db/blocks";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { findKept, saveKept } from "../db/products";
import { addToLedger, touchStudy } from "../db/studies";
import type { RunKind } from "./kind";
import { ImagePhases } from "./imagePhases";
import { evaluatorFor } from "./mapPhases";
import { rangeResults } from "../db/ranges";

/**
 * Cells of one range: about a second of the whole chain, so that the dates of a small study keep
 * every worker busy too.
 */
const RANGE_CELLS = 1e6;

interface Group {
  first: number;
  items: PrepareItem[];
  phases: ImagePhases[];
}
/** Images of a group are of one size, so that they have the same phases. */
function layout(params: PrepareParams): Group[] {
  let first = 0;
  return groupsOf(params.items).map((items) => {
    const at = first;
    const name =
      items.length === 1
        ? `${items[0]!.sceneName}: ${items[0]!.step}`
        : `${items.length} dates: ${items[0]!.step}`;
    const phases = items.map(
      (item, k) =>
        new ImagePhases({
          info: item.info,
          imageId: item.imageId,
          first: at,
          cellsName: name,
          rangeCells: RANGE_CELLS,
          nth: k,
        }),
    );
    first += phases[0]!.plan.length;
    return { first: at, items, phases };
  });
}
const groupAt = (params: PrepareParams, phase: number) => {
  const all = layout(params);
  let k = all.length - 1;
  while (all[k]!.first > phase) {
    k--;
  }
  return { ...all[k]!, index: k, all };
};

async function keep(group: Group, client: Client, runId: string): Promise<void> {
  for (const [k, item] of group.items.entries()) {
    await finishImage(
      client,
      item.imageId,
      await group.phases[k]!.facts((phase) => rangeResults(client, runId, phase)),
    );
    await saveKept(client, {
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
  phases: (params) =>
    layout(params).flatMap((group) =>
      group.phases[0]!.plan.map((phasePlan) => ({
        ...phasePlan,
        weight: phasePlan.weight * group.items.length,
      })),
    ),
  async ranges(phase, params, client, run) {
    const at = groupAt(params, phase);
    if (phase === at.first && at.index > 0) {
      await keep(at.all[at.index - 1]!, client, run.id);
    }
    return at.phases.flatMap((x) => x.ranges(phase));
  },
  async work(phase, seq, params, ctx, run) {
    const at = groupAt(params, phase);
    const each = at.phases[0]!.ranges(phase).length;
    const k = Math.floor(seq / each);
    const { node, info } = at.items[k]!;
    const { width, height } = info.grid;
    const evaluator = evaluatorFor(ctx);
    return at.phases[k]!.work(phase, seq - k * each, ctx, run.id, async (row, tell) => {
      const blocks: StoredBlock[] = [];
      const windows = Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) =>
        blockWindow(row, col, width, height),
      );
      await ahead(
        windows.length,
        (n) => evaluator.read(node, 0, windows[n]!),
        (block, col) => {
          ctx.signal.throwIfAborted();
          block.bands.forEach((cells, band) => blocks.push({ level: 0, row, col, band, cells }));
          tell((col + 1) / windows.length);
        },
      );
      return blocks;
    });
  },
  async finish(params, _results, client, run) {
    await keep(layout(params).at(-1)!, client, run.id);
    await addToLedger(client, run.studyId!, "Dates prepared", {
      results: params.items.map((item) => ({
        ...{ scene: item.sceneId, name: item.sceneName },
        step: item.step,
        node: item.hash,
      })),
    });
    await touchStudy(client, run.studyId!);
    return { results: params.items.map((item) => item.hash) };
  },
  async discard(params, client) {
    const kept = new Set(
      (
        await findKept(
          client,
          params.items.map((item) => item.hash),
        )
      ).values(),
    );
    for (const item of params.items) {
      if (!kept.has(item.imageId)) {
        await deleteImage(client, item.imageId);
      }
    }
  },
};
