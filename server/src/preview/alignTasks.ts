import { type LevelFit, type LevelMethod, levelDates } from "@hindglance/core/align/levelling";
import { type OffsetModel, type OffsetResult, measureOffset } from "@hindglance/core/align/offset";
import { TEXTURE_HALO, texture } from "@hindglance/core/align/texture";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { blockWindows, grow, levelCount, levelGrid } from "@hindglance/core/grid/grid";

/** Both nodes have one band and lie on one grid. */
export interface OffsetTask {
  kind: "offset";
  reference: NodeSpec;
  other: NodeSpec;
  model: OffsetModel;
}
export async function offsetOf(e: Evaluator, t: OffsetTask): Promise<OffsetResult> {
  const info = await e.info(t.reference);
  const roles = { reference: info.bands[0]!.role, other: (await e.info(t.other)).bands[0]!.role };
  return measureOffset(
    {
      read: async (which, level, w) =>
        texture(
          (await e.read(t[which], level, grow(w, TEXTURE_HALO))).bands[0] as Float32Array,
          w.width,
          w.height,
          roles[which],
        ),
    },
    info.grid,
    { model: t.model },
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
export async function levelOf(e: Evaluator, t: LevelTask): Promise<LevelFit> {
  const { grid } = await e.info(t.reference);
  const levels = levelCount(grid.width, grid.height);
  let level = 0;
  while (
    level < levels - 1 &&
    levelGrid(grid, level).width * levelGrid(grid, level).height > OVERVIEW_CELLS
  ) {
    level++;
  }
  const g = levelGrid(grid, level);
  const every = Math.max(1, Math.ceil((g.width * g.height) / SAMPLE));
  const ref = t.names.map((): number[] => []);
  const other = t.names.map((): number[] => []);
  for (const w of blockWindows(g)) {
    const [a, b] = await Promise.all([e.read(t.reference, level, w), e.read(t.other, level, w)]);
    for (let i = 0; i < w.width * w.height; i++) {
      if (((w.row + Math.floor(i / w.width)) * g.width + w.col + (i % w.width)) % every === 0) {
        t.names.forEach((_n, k) => {
          ref[k]!.push(a.bands[k]![i]!);
          other[k]!.push(b.bands[k]![i]!);
        });
      }
    }
  }
  return levelDates(
    t.names,
    ref.map((v) => Float32Array.from(v)),
    other.map((v) => Float32Array.from(v)),
    t.method,
  );
}
