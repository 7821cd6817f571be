import type { LevelMethod } from "@hindglance/core/align/alignment";
import { type LevelFit, levelDates } from "@hindglance/core/align/levelling";
import { type OffsetModel, type OffsetResult, measureOffset } from "@hindglance/core/align/offset";
import { TEXTURE_HALO, texture } from "@hindglance/core/align/texture";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { blockWindows, grow, levelCount, levelGrid } from "@hindglance/core/grid/grid";
import { realCells } from "@hindglance/core/raster/block";

/** Both nodes have one band and lie on one grid. */
export interface OffsetTask {
  kind: "offset";
  reference: NodeSpec;
  other: NodeSpec;
  model: OffsetModel;
}

/** Measures how one date lies off another, in a preview thread. */
export async function offsetOf(
  evaluator: Evaluator,
  offsetTask: OffsetTask,
): Promise<OffsetResult> {
  const info = await evaluator.info(offsetTask.reference);
  const roles = {
    reference: info.bands[0]!.role,
    other: (await evaluator.info(offsetTask.other)).bands[0]!.role,
  };
  return measureOffset(
    {
      read: async (which, level, w) =>
        texture(
          realCells(
            (await evaluator.read(offsetTask[which], level, grow(w, TEXTURE_HALO))).bands[0]!,
          ),
          w.width,
          w.height,
          roles[which],
        ),
    },
    info.grid,
    { model: offsetTask.model },
  );
}

/** Both nodes have the same bands in the same order and lie on one grid. */
export interface LevelTask {
  kind: "level";
  reference: NodeSpec;
  other: NodeSpec;
  method: LevelMethod;
  names: string[];
}
/** Cells of the overview that levelling looks at, and of them those that it counts with. */
const OVERVIEW_CELLS = 1.2e6;
const SAMPLE = 40_000;

/** Measures how the numbers of one date differ from another's, in a preview thread. */
export async function levelOf(evaluator: Evaluator, levelTask: LevelTask): Promise<LevelFit> {
  const { grid } = await evaluator.info(levelTask.reference);
  const levels = levelCount(grid.width, grid.height);
  let level = 0;
  while (
    level < levels - 1 &&
    levelGrid(grid, level).width * levelGrid(grid, level).height > OVERVIEW_CELLS
  ) {
    level++;
  }
  const sceneGrid = levelGrid(grid, level);
  const every = Math.max(1, Math.ceil((sceneGrid.width * sceneGrid.height) / SAMPLE));
  const ref = levelTask.names.map((): number[] => []);
  const other = levelTask.names.map((): number[] => []);
  for (const w of blockWindows(sceneGrid)) {
    const [block, b] = await Promise.all([
      evaluator.read(levelTask.reference, level, w),
      evaluator.read(levelTask.other, level, w),
    ]);
    for (let i = 0; i < w.width * w.height; i++) {
      if (
        ((w.row + Math.floor(i / w.width)) * sceneGrid.width + w.col + (i % w.width)) % every ===
        0
      ) {
        levelTask.names.forEach((_n, k) => {
          ref[k]!.push(block.bands[k]![i]!);
          other[k]!.push(b.bands[k]![i]!);
        });
      }
    }
  }
  return levelDates(
    levelTask.names,
    ref.map((values) => Float32Array.from(values)),
    other.map((values) => Float32Array.from(values)),
    levelTask.method,
  );
}
