import * as yup from 'yup';
import { InputError } from '../../errors';
import { BLOCK, grow } from '../../grid/grid';
import { CLASS_NODATA } from '../../raster/block';
import { type Runs, fillWindow, joinRuns, runsOf } from '../../patches/runs';
import { sieve } from '../../patches/sieve';
import { ahead } from '../ahead';
import type { ImageInfo } from '../image';
import type { Step, StepState } from '../step';
import { cellByCell, finite, requireOneGrid } from './common';

function requireClasses(title: string, i: ImageInfo): void { if (i.type !== 'class8') throw new InputError(`${title} works on classes, not on ${i.bands[0]!.role}`, 'inputs'); }

/** Classes on ground steeper than the limit become "no class". Where there is no elevation the class stays. */
export const slopeLimitStep: Step<{ maxSlopeDeg: number }> = {
  kind: 'limit.slope', version: 1, title: 'Slope', help: 'Drops classes on ground steeper than this. Where there is no elevation nothing is dropped.', inputs: { min: 2, max: 2 },
  params: yup.object({ maxSlopeDeg: finite().moreThan(0).max(90) }).noUnknown(),
  describe(inputs) { requireClasses('Slope', inputs[0]!); requireOneGrid('Slope', inputs); return inputs[0]!; },
  reach: cellByCell,
  compute([classes, slope], out, { params }) {
    const src = classes!.bands[0] as Uint8Array, s = slope!.bands[0]!, dst = out.bands[0] as Uint8Array, max = params.maxSlopeDeg;
    for (let i = 0; i < dst.length; i++) dst[i] = s[i]! > max && src[i] !== CLASS_NODATA ? 0 : src[i]!;
  },
};

/** A preview looks this many cells around its window at the most; see minimumPatchStep. */
const PREVIEW_HALO = 48;

interface PatchState extends StepState { width: number; height: number; rows: Uint32Array; starts: Uint32Array; labels: Uint8Array; changed: number }

/**
 * Minimum patch (see patches/sieve.ts). A full run gathers the whole image as runs once; a preview computes from its own window
 * with a halo, which is the same wherever a patch under size does not reach past the halo.
 */
export const minimumPatchStep: Step<{ minCells: number; neighbours: 4 | 8 }, PatchState> = {
  kind: 'limit.minimumPatch', version: 1, title: 'Minimum patch', help: 'Patches under this size take the class most frequent along their border.', inputs: { min: 1, max: 1 },
  params: yup.object({ minCells: yup.number().integer().min(2).max(1_000_000).required(), neighbours: yup.number().oneOf([4, 8] as const).required() }).noUnknown() as yup.ObjectSchema<{ minCells: number; neighbours: 4 | 8 }>,
  describe([a]) { requireClasses('Minimum patch', a!); return a!; },
  gather: {
    async strip(ask, { row, width, height }) {
      const cells = new Uint8Array(width * height);
      await ahead(Math.ceil(width / BLOCK), (k) => ask.read(0, { col: k * BLOCK, row, width: Math.min(BLOCK, width - k * BLOCK), height }), ({ window: w, bands }) => {
        for (let r = 0; r < height; r++) cells.set(bands[0]!.subarray(r * w.width, (r + 1) * w.width), r * width + w.col);
      });
      return { ...runsOf(cells, width, height) };
    },
    merge(parts, { params, level }) {
      const { runs, changed } = sieve(joinRuns(parts as unknown as Runs[]), minAt(params.minCells, level), params.neighbours);
      return { ...runs, changed };
    },
  },
  reach: (w, ctx) => [{ window: ctx.state ? { col: w.col, row: w.row, width: 0, height: 0 } : grow(w, Math.min(PREVIEW_HALO, minAt(ctx.params.minCells, ctx.level))), level: ctx.level }],
  compute([a], out, { params, level, state }) {
    const { col, row, width, height } = out.window, dst = out.bands[0] as Uint8Array;
    if (state) { fillWindow(state as unknown as Runs, col, row, width, height, dst); return; }
    const from = a!.window;
    const { runs } = sieve(runsOf(a!.bands[0] as Uint8Array, from.width, from.height), minAt(params.minCells, level), params.neighbours);
    fillWindow(runs, col - from.col, row - from.row, width, height, dst);
  },
};

/** The limit is a number of full-resolution cells; a coarser level has fewer for the same ground. */
const minAt = (cells: number, level: number) => Math.max(1, Math.ceil(cells / 4 ** level));
