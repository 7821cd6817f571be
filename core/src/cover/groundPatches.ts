import type { Evaluator } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { cellAreas } from "../grid/area";
import { BLOCK, type Grid, type Window, levelGrid } from "../grid/grid";
import { levelOfCells } from "../grid/levelOfCells";
import { type Bounds, boundsOnGlobe } from "../patches/boundsOnGlobe";
import { labelRuns } from "../patches/label";
import { type Runs, RunsBuilder, runEnd } from "../patches/runs";
import { labelCells } from "../raster/block";

/** A connected piece of ground of one label. */
export interface GroundPatch extends Bounds {
  cells: number;
  areaM2: number;
}

/** Patches of one label, the largest first. */
export interface GroundPatches {
  /** Overview level that they were found at; 0: the cells themselves. */
  level: number;
  count: number;
  areaM2: number;
  patches: GroundPatch[];
}

/** Where one label is, as runs of 1 in 0. */
async function runsOfLabel(
  evaluator: Pick<Evaluator, "read">,
  node: NodeSpec,
  label: number,
  at: { level: number; grid: Grid },
): Promise<Runs> {
  const { width, height } = at.grid;
  const builder = new RunsBuilder(width, height);
  for (let row = 0; row < height; row += BLOCK) {
    const window: Window = { col: 0, row, width, height: Math.min(BLOCK, height - row) };
    const cells = labelCells((await evaluator.read(node, at.level, window)).bands[0]!);
    const isThere = cells.map((one) => (one === label ? 1 : 0));
    for (let r = 0; r < window.height; r++) {
      builder.addRow(isThere.subarray(r * width, (r + 1) * width));
    }
  }
  return builder.finish();
}

/** Size, area and corner cells of every patch of label 1. */
function measured(runs: Runs, grid: Grid) {
  const areas = cellAreas(grid);
  const { patchOfRun } = labelRuns(runs, 8);
  const found = new Map<number, { cells: number; areaM2: number; corners: [number, number][] }>();
  for (let row = 0; row < runs.height; row++) {
    for (let k = runs.rows[row]!; k < runs.rows[row + 1]!; k++) {
      if (runs.labels[k] !== 1) {
        continue;
      }
      const [from, to] = [runs.starts[k]!, runEnd(runs, k, row)];
      const old = found.get(patchOfRun[k]!);
      const [[left, top], [right]] = old
        ? [old.corners[0]!, old.corners[1]!]
        : [[from, row] as const, [to] as const];
      found.set(patchOfRun[k]!, {
        cells: (old?.cells ?? 0) + to - from,
        areaM2: (old?.areaM2 ?? 0) + areas.run(row, from, to),
        corners: [
          [Math.min(left, from), top],
          [Math.max(right, to), row + 1],
        ],
      });
    }
  }
  return [...found.values()];
}

/**
 * Connected pieces of ground of one label in a class image, corners included, the largest first.
 * Found at full resolution where the image has no more than `maxCells` cells, else at the finest
 * level that has not.
 * @param most patches that are given; all are counted
 */
export async function groundPatches(
  evaluator: Pick<Evaluator, "info" | "read">,
  node: NodeSpec,
  label: number,
  { maxCells, most }: { maxCells: number; most: number },
): Promise<GroundPatches> {
  const info = await evaluator.info(node);
  const level = levelOfCells(info.grid, maxCells);
  const grid = levelGrid(info.grid, level);
  const all = measured(await runsOfLabel(evaluator, node, label, { level, grid }), grid);
  return {
    level,
    count: all.length,
    areaM2: all.reduce((sum, { areaM2 }) => sum + areaM2, 0),
    patches: all
      .sort((a, b) => b.cells - a.cells)
      .slice(0, most)
      .map(({ cells, areaM2, corners }) => ({ cells, areaM2, ...boundsOnGlobe(corners, grid) })),
  };
}
