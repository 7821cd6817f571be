import * as yup from "yup";
import { chiSquareAbove } from "../../change/chiSquare";
import { irMad } from "../../change/irMad";
import { InputError } from "../../errors";
import { realCells } from "../../raster/block";
import type { Step, StepState } from "../step";
import { strideFor } from "../strideFor";
import { cellByCell, floats } from "./common";
import { changeBand, requirePair } from "./pair";

/** Cells that the alteration detection is found from, at the most. */
const SAMPLE = 30_000;
interface MadState extends StepState {
  rho: Float64Array;
  a: Float64Array;
  b: Float64Array;
  meanBefore: Float64Array;
  meanAfter: Float64Array;
  sigma: Float64Array;
  iterations: number;
  cells: number;
}

/**
 * Probability that a cell did not change, in per cent, by multivariate alteration detection, plain
 * or reweighted (see change/irMad.ts).
 */
export const noChangeStep: Step<{ reweighted: boolean }, MadState, { values: Float64Array }> = {
  kind: "change.noChange",
  version: 2,
  title: "No-change probability",
  help: "How likely it is, by all bands together, that a cell is as it was: 0 % is change. Light and air that are the same for the whole scene do not count.",
  inputs: { min: 2, max: 2 },
  overview: true,
  params: yup.object({ reweighted: yup.boolean().required() }).noUnknown(),
  describe(inputs) {
    const { before } = requirePair("No-change probability", inputs);
    if (before.bands.length < 2) {
      throw new InputError(
        "The no-change probability takes two bands or more",
        "bands",
        "Pick more bands.",
      );
    }
    return changeBand(before, "no-change probability", "%");
  },
  gather: {
    async strip(ask, s, ctx) {
      const bandCount = ctx.inputs[0]!.bands.length;
      const [block, a] = await Promise.all([ask.read(0, s), ask.read(1, s)]);
      const every = strideFor(ctx.base[0]!, ctx.level, SAMPLE);
      const out: number[] = [];
      for (let i = 0; i < s.width * s.height; i++) {
        if ((s.row * s.width + i) % every) {
          continue;
        }
        for (let k = 0; k < bandCount; k++) {
          out.push(block.bands[k]![i]!);
        }
        for (let k = 0; k < bandCount; k++) {
          out.push(a.bands[k]![i]!);
        }
      }
      return { values: Float64Array.from(out) };
    },
    merge(parts, ctx) {
      const bandCount = ctx.inputs[0]!.bands.length;
      const all = parts.flatMap((part) => [...part.values]);
      const n = all.length / (2 * bandCount);
      const bands = Array.from({ length: 2 * bandCount }, (_v, k) =>
        Float64Array.from({ length: n }, (_u, i) => all[i * 2 * bandCount + k]!),
      );
      const mad = irMad(
        bands.slice(0, bandCount),
        bands.slice(bandCount),
        ...(ctx.params.reweighted ? [] : [1]),
      );
      const flat = (x: number[][]) => Float64Array.from(x.flat());
      const kept = (x: number[]) => Float64Array.from(x);
      return {
        rho: kept(mad.rho),
        a: flat(mad.a),
        b: flat(mad.b),
        meanBefore: kept(mad.meanBefore),
        meanAfter: kept(mad.meanAfter),
        sigma: kept(mad.sigma),
        iterations: mad.iterations,
        cells: mad.cells,
      };
    },
  },
  report({ state }) {
    return state
      ? {
          lines: [
            { name: "correlations", value: [...state.rho].map((r) => r.toFixed(3)).join(", ") },
            { name: "rounds", value: String(state.iterations) },
            { name: "cells", value: String(state.cells) },
          ],
          warnings: [],
        }
      : null;
  },
  reach: cellByCell,
  compute([block, a], out, { state }) {
    noChangePercent(state!, floats(block!), floats(a!), realCells(out.bands[0]!));
  },
};

/**
 * Table of the chi-square probability over the root of the statistic; finer than half a thousandth
 * of a per cent.
 */
const TABLE = 8192;
const FAR = 16;
const tables = new Map<number, Float32Array>();
const tableOf = (degrees: number): Float32Array => {
  let t = tables.get(degrees);
  if (!t) {
    t = Float32Array.from(
      { length: TABLE + 1 },
      (_v, i) => 100 * chiSquareAbove(((FAR * i) / TABLE) ** 2, degrees),
    );
    tables.set(degrees, t);
  }
  return t;
};
/**
 * No-change probability of each cell in per cent; before and after by band, NaN = nodata in any of
 * them, which is nodata in `out`.
 */
function noChangePercent(
  state: MadState,
  before: Float32Array[],
  after: Float32Array[],
  out: Float32Array,
): void {
  const bandCount = before.length;
  const n = out.length;
  const sum = new Float64Array(n);
  const distances = new Float64Array(n);
  const table = tableOf(bandCount);
  const by = TABLE / FAR;
  const { sqrt } = Math;
  for (let k = 0; k < bandCount; k++) {
    distances.fill(0);
    for (let j = 0; j < bandCount; j++) {
      const x = before[j]!;
      const y = after[j]!;
      const ka = state.a[k * bandCount + j]!;
      const kb = state.b[k * bandCount + j]!;
      const off = ka * state.meanBefore[j]! - kb * state.meanAfter[j]!;
      for (let i = 0; i < n; i++) {
        distances[i]! += ka * x[i]! - kb * y[i]! - off;
      }
    }
    const w = 1 / state.sigma[k]! ** 2;
    for (let i = 0; i < n; i++) {
      sum[i]! += w * distances[i]! * distances[i]!;
    }
  }
  for (let i = 0; i < n; i++) {
    const s = sum[i]!;
    if (s !== s) {
      out[i] = NaN;
      continue;
    }
    const at = sqrt(s) * by;
    if (at >= TABLE) {
      out[i] = 0;
      continue;
    }
    const k = at | 0;
    const fraction = at - k;
    out[i] = table[k]! * (1 - fraction) + table[k + 1]! * fraction;
  }
}
