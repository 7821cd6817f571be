import * as yup from "yup";
import { InputError } from "../../errors";
import { chiSquareAbove } from "../../change/chiSquare";
import { irMad } from "../../change/irMad";
import { alwaysBeyond, changeDirection, changeVector } from "../../change/vector";
import { evaluateFormula, parseFormula } from "../../formula/formula";
import { levelGrid } from "../../grid/grid";
import type { BandInfo, ImageInfo } from "../image";
import type { Step, StepState } from "../step";
import { cellByCell, finite, floats, none, requireOneGrid } from "./common";
import { realCells } from "../../raster/block";

/** Both dates with the same real-valued bands in the same order. */
function requirePair(
  title: string,
  inputs: readonly ImageInfo[],
): { before: ImageInfo; after: ImageInfo } {
  requireOneGrid(title, inputs);
  const [before, after] = inputs as [ImageInfo, ImageInfo];
  if (before.type !== "float32" || after.type !== "float32") {
    throw new InputError(`${title} takes real-valued bands`, "inputs");
  }
  if (before.bands.length !== after.bands.length) {
    throw new InputError(
      `${title} takes the same bands on both dates, not ${before.bands.length} and ${after.bands.length}`,
      "bands",
    );
  }
  before.bands.forEach((band, k) => {
    const a = after.bands[k]!;
    if (a.unit !== band.unit || a.role !== band.role) {
      throw new InputError(
        `${title}: ${band.name} is ${band.unit || band.role} before and ${a.unit || a.role} after`,
        "bands",
        "Prepare both dates alike.",
      );
    }
  });
  return { before, after };
}
const one = (info: ImageInfo, name: string, unit: string): ImageInfo => ({
  grid: info.grid,
  type: "float32",
  bands: [{ name, unit, role: "change" }],
});
const firstUnit = (title: string, info: ImageInfo): string => {
  const [unit, other] = [
    info.bands[0]!.unit,
    info.bands.find((band) => band.unit !== info.bands[0]!.unit),
  ];
  if (other) {
    throw new InputError(
      `${title} takes bands of one unit, not ${unit || info.bands[0]!.role} with ${other.unit || other.role}`,
      "bands",
    );
  }
  return unit;
};

export const changeVectorStep: Step<Record<string, never>> = {
  kind: "change.vector",
  version: 1,
  title: "Change vector",
  help: "How far all bands together have moved: √Σ(after − before)². Never below zero.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair("Change vector", inputs);
    return one(before, "change vector", firstUnit("Change vector", before));
  },
  reach: cellByCell,
  compute([block, a], out) {
    changeVector(floats(block!), floats(a!), realCells(out.bands[0]!));
  },
};

export const changeDirectionStep: Step<Record<string, never>> = {
  kind: "change.direction",
  version: 1,
  title: "Direction of change",
  help: "Which way two bands have moved, in degrees: 0 the first grew, 90 the second grew, 180 the first fell.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair("Direction of change", inputs);
    if (before.bands.length !== 2) {
      throw new InputError(
        `The direction is taken in the plane of two bands, not of ${before.bands.length}`,
        "bands",
        "Pick two bands.",
      );
    }
    return one(before, "direction", "°");
  },
  reach: cellByCell,
  compute([block, a], out) {
    const x = floats(block!);
    const y = floats(a!);
    changeDirection([x[0]!, x[1]!], [y[0]!, y[1]!], realCells(out.bands[0]!));
  },
};

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
/** Every so many cells of an overview are taken for a sample. */
export const strideFor = (info: ImageInfo, level: number, most: number): number => {
  const grid = levelGrid(info.grid, level);
  return Math.max(1, Math.ceil((grid.width * grid.height) / most));
};

/**
 * Probability that a cell did not change, in per cent, by multivariate alteration detection, plain
 * or reweighted (see change/irMad.ts).
 */
export const noChangeStep: Step<{ reweighted: boolean }, MadState> = {
  kind: "change.noChange",
  version: 1,
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
    return one(before, "no-change probability", "%");
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
      const all = parts.flatMap((part) => [...(part.values as Float64Array)]);
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
      const fraction = (x: number[]) => Float64Array.from(x);
      return {
        rho: fraction(mad.rho),
        a: flat(mad.a),
        b: flat(mad.b),
        meanBefore: fraction(mad.meanBefore),
        meanAfter: fraction(mad.meanAfter),
        sigma: fraction(mad.sigma),
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

/**
 * A band as it is written in a formula: its polarisation, or its name in letters, digits and
 * underscores.
 */
export const nameInFormula = (b: Pick<BandInfo, "name" | "polarisation">): string => {
  const s = (b.polarisation ?? b.name).trim().replace(/\W+/g, "_");
  return /^\d/.test(s) ? `b${s}` : s;
};
/** Names by which a formula finds the bands of both dates. */
export const namesOfDates = (names: readonly string[]): string[] =>
  ["before", "after"].flatMap((date) => names.map((b) => `${date}.${b}`));

/** A formula over the bands of both dates, before.NAME and after.NAME. */
export const twoDateFormulaStep: Step<{ formula: string; names: string[] }> = {
  kind: "change.formula",
  version: 1,
  title: "Formula of two dates",
  help: "Ordinary arithmetic over before.NAME and after.NAME.",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({
      formula: yup.string().max(2000).required(),
      names: yup.array(yup.string().required()).min(1).max(64).required(),
    })
    .noUnknown() as yup.ObjectSchema<{ formula: string; names: string[] }>,
  describe(inputs, params) {
    const { before } = requirePair("Formula of two dates", inputs);
    if (params.names.length !== before.bands.length) {
      throw new InputError(
        `${params.names.length} names for ${before.bands.length} bands`,
        "names",
      );
    }
    parseFormula(params.formula, namesOfDates(params.names));
    return one(before, "formula", "");
  },
  reach: cellByCell,
  compute([block, a], out, { params }) {
    const names = namesOfDates(params.names);
    const formula = parseFormula(params.formula, names);
    const all = [...floats(block!), ...floats(a!)];
    const dst = realCells(out.bands[0]!);
    evaluateFormula(formula, (name) => all[names.indexOf(name)]!, dst.length, dst);
  },
};

/** After − before of every band, for grouping. */
export const differencesStep: Step<Record<string, never>> = {
  kind: "change.differences",
  version: 1,
  title: "Differences",
  help: "After − before, band by band.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    const { before } = requirePair("Differences", inputs);
    return {
      grid: before.grid,
      type: "float32",
      bands: before.bands.map((band) => ({
        name: `Δ ${band.name}`,
        unit: band.unit,
        role: "change",
      })),
    };
  },
  reach: cellByCell,
  compute([block, a], out) {
    out.bands.forEach((band, k) => {
      const cells = block!.bands[k]!;
      const y = a!.bands[k]!;
      for (let i = 0; i < band.length; i++) {
        band[i] = y[i]! - cells[i]!;
      }
    });
  },
};

/** Bands of two images on one grid as one image. */
export const joinBandsStep: Step<Record<string, never>> = {
  kind: "bands.join",
  version: 1,
  title: "Both dates",
  help: "Puts the bands of several images of one grid together.",
  inputs: { min: 1, max: 16 },
  params: none,
  describe(inputs) {
    requireOneGrid("Both dates", inputs);
    if (inputs.some((input) => input.type !== "float32")) {
      throw new InputError("Only real-valued bands can be put together", "inputs");
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: inputs.flatMap((input) => input.bands),
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    inputs.flatMap((input) => input.bands).forEach((cells, k) => out.bands[k]!.set(cells));
  },
};

/**
 * Cells that are dark (or bright) on every one of some dates that shows them: water that stands
 * there anyway.
 */
export const alwaysStep: Step<{ op: "<" | ">"; value: number }> = {
  kind: "mask.always",
  version: 1,
  title: "So on other dates",
  help: "1 where every date that shows the cell lies on that side of the value, 0 where one does not.",
  inputs: { min: 1, max: 16 },
  params: yup
    .object({
      op: yup
        .string()
        .oneOf(["<", ">"] as const)
        .required(),
      value: finite(),
    })
    .noUnknown() as yup.ObjectSchema<{ op: "<" | ">"; value: number }>,
  describe(inputs) {
    requireOneGrid("So on other dates", inputs);
    for (const input of inputs) {
      if (
        input.bands.length !== 1 ||
        input.type !== "float32" ||
        input.bands[0]!.unit !== inputs[0]!.bands[0]!.unit
      ) {
        throw new InputError(
          "One band of the same unit a date is compared with the value",
          "inputs",
        );
      }
    }
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "always", unit: "", role: "mask" }],
    };
  },
  reach: cellByCell,
  compute(inputs, out, { params }) {
    alwaysBeyond(
      inputs.map((input) => realCells(input.bands[0]!)),
      params.op,
      params.value,
      realCells(out.bands[0]!),
    );
  },
};

/**
 * 1 where one of the inputs is over nought, 0 elsewhere; nodata counts as nought: what hides a cell
 * on either date.
 */
export const eitherStep: Step<Record<string, never>> = {
  kind: "mask.either",
  version: 1,
  title: "On either date",
  help: "1 where the mask of one date is set.",
  inputs: { min: 1, max: 4 },
  params: none,
  describe(inputs) {
    requireOneGrid("On either date", inputs);
    return {
      grid: inputs[0]!.grid,
      type: "float32",
      bands: [{ name: "either", unit: "", role: "mask" }],
    };
  },
  reach: cellByCell,
  compute(inputs, out) {
    const dst = realCells(out.bands[0]!);
    dst.fill(0);
    for (const input of inputs) {
      const cells = input.bands[0]!;
      for (let i = 0; i < dst.length; i++) {
        if (cells[i]! > 0) {
          dst[i] = 1;
        }
      }
    }
  },
};
