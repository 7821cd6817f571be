import { cellGrid, windowOf } from "@hindglance/core/edit/cells";
import { MEASURE_BAND, type MadeFrom } from "@hindglance/core/doubt/plan";
import { InputError } from "@hindglance/core/errors";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, type Window } from "@hindglance/core/grid/grid";
import { realCells } from "@hindglance/core/raster/block";
import { rasteriseSpans } from "@hindglance/core/vector/rasterise";
import { blockWindow } from "../db/blocks";
import type { EditPatch } from "../db/edits";
import { AppError } from "../errors";
import type { RangeContext } from "./kind";
import { evaluatorFor } from "./mapPhases";

/** Means over a patch; null where no cell of it has a value, or nobody knows any more. */
export interface PatchMeans {
  measure: number | null;
  elevation: number | null;
}

/** What a map was made from, where its dates are still there. */
async function sourceOf(
  madeFrom: MadeFrom | null,
  evaluator: Evaluator,
): Promise<{ bands: ImageInfo["bands"] } | null> {
  try {
    return madeFrom && (await evaluator.info(madeFrom.gated));
  } catch (error) {
    if (error instanceof InputError || error instanceof AppError) {
      return null;
    }
    throw error;
  }
}

/** Sum and number of values of a layer. */
interface Sum {
  sum: number;
  count: number;
}

const meanOf = ({ sum, count }: Sum): number | null => (count > 0 ? sum / count : null);

function addSpan(into: Sum, cells: Float32Array, from: number, to: number): void {
  for (let cell = from; cell < to; cell++) {
    const value = cells[cell]!;
    if (!Number.isNaN(value)) {
      into.sum += value;
      into.count++;
    }
  }
}

/** Which patches may have cells in each block of a map, by row and column of blocks. */
function byBlock(
  patches: readonly EditPatch[],
  { grid }: ImageInfo,
): { block: Window; patches: number[] }[] {
  const found = new Map<string, { block: Window; patches: number[] }>();
  patches.forEach(({ outline }, k) => {
    const window = windowOf(outline, grid);
    const last = window && [window.col + window.width - 1, window.row + window.height - 1];
    for (let row = window?.row ?? 0; last && row <= last[1]!; row += BLOCK - (row % BLOCK)) {
      for (let col = window.col; col <= last[0]!; col += BLOCK - (col % BLOCK)) {
        const at = [Math.floor(row / BLOCK), Math.floor(col / BLOCK)] as const;
        const key = at.join(" ");
        const block = found.get(key)?.block ?? blockWindow(...at, grid.width, grid.height);
        found.set(key, { block, patches: [...(found.get(key)?.patches ?? []), k] });
      }
    }
  });
  return [...found.values()];
}

/** Means of the measure and of elevation over patches that edits made, block by block. */
export async function meansOfMade(
  { info, madeFrom }: { info: ImageInfo; madeFrom: MadeFrom | null },
  patches: readonly EditPatch[],
  ctx: RangeContext,
): Promise<PatchMeans[]> {
  const evaluator = evaluatorFor(ctx);
  const source = await sourceOf(madeFrom, evaluator);
  const sums = patches.map(() => ({
    measure: { sum: 0, count: 0 },
    elevation: { sum: 0, count: 0 },
  }));
  const elevation = source?.bands.findIndex(({ name }) => name === "elevation") ?? -1;
  for (const { block, patches: there } of source ? byBlock(patches, info) : []) {
    ctx.signal.throwIfAborted();
    const { bands } = await evaluator.read(madeFrom!.gated, 0, block);
    const measures = realCells(bands[MEASURE_BAND]!);
    const heights = elevation >= 0 ? realCells(bands[elevation]!) : null;
    for (const k of there) {
      rasteriseSpans(patches[k]!.outline, cellGrid(info.grid), block, (row, from, to) => {
        const at = (row - block.row) * block.width - block.col;
        addSpan(sums[k]!.measure, measures, at + from, at + to);
        if (heights) {
          addSpan(sums[k]!.elevation, heights, at + from, at + to);
        }
      });
    }
  }
  return sums.map((one) => ({
    measure: meanOf(one.measure),
    elevation: meanOf(one.elevation),
  }));
}
