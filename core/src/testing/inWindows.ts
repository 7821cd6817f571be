import { Evaluator, type SourceReader } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { type Window, fullWindow, levelGrid } from "../grid/grid";
import { CLASS_NODATA, type Cells } from "../raster/block";
import { lcg } from "./support";

/**
 * Windows anywhere over an image, some of them reaching past its edges or lying beyond them.
 * @param count how many
 */
export function windowsOver(
  { width, height }: { width: number; height: number },
  seed: number,
  count: number,
): Window[] {
  const random = lcg(seed);
  const least = Math.min(width, height);
  return Array.from({ length: count }, () => ({
    col: Math.floor(random() * (width + 30)) - 20,
    row: Math.floor(random() * (height + 30)) - 20,
    width: 1 + Math.floor(random() * 0.6 * least),
    height: 1 + Math.floor(random() * 0.6 * least),
  }));
}

/** Cells of a window that differ, in any bit, from those of the whole image; beyond its edges from nodata. */
function differing(
  bands: readonly Cells[],
  whole: readonly Cells[],
  window: Window,
  size: { width: number; height: number },
): string | null {
  for (const [band, cells] of bands.entries()) {
    const nodata = cells instanceof Float32Array ? NaN : CLASS_NODATA;
    for (const [i, value] of cells.entries()) {
      const col = window.col + (i % window.width);
      const row = window.row + Math.floor(i / window.width);
      const isInside = col >= 0 && row >= 0 && col < size.width && row < size.height;
      const wanted = isInside ? whole[band]![row * size.width + col]! : nodata;
      if (!Object.is(value, wanted) && !(value === 0 && wanted === 0)) {
        return `band ${band}, column ${col}, row ${row}: ${value} in a window, ${wanted} in the whole`;
      }
    }
  }
  return null;
}

/** What of a node is not the same, to the bit, in windows as in the whole image. */
export interface Difference {
  level: number;
  window: Window;
  where: string;
}

/**
 * Reads a node at a level whole, and in random windows each by an evaluator of its own, and gives
 * the first difference; null where there is none.
 * @param count how many windows
 */
export async function firstDifference(
  sources: SourceReader,
  spec: NodeSpec,
  level: number,
  count: number,
  seed = 31,
): Promise<Difference | null> {
  const evaluator = new Evaluator({ sources });
  const { grid } = await evaluator.info(spec);
  const size = levelGrid(grid, level);
  const whole = (await evaluator.read(spec, level, fullWindow(size))).bands;
  for (const window of windowsOver(size, seed + level, count)) {
    const { bands } = await new Evaluator({ sources }).read(spec, level, window);
    const where = differing(bands, whole, window, size);
    if (where) {
      return { level, window, where };
    }
  }
  return null;
}

/** Kinds of all steps of a node and of what it is made from. */
export function kindsIn(spec: NodeSpec, kinds = new Set<string>()): Set<string> {
  kinds.add(spec.step);
  spec.inputs.forEach((input) => kindsIn(input, kinds));
  return kinds;
}
