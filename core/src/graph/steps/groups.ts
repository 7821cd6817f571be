import * as yup from "yup";
import { classFields } from "../../change/classFields";
import { InputError } from "../../errors";
import { isodata } from "../../classify/isodata";
import { type Groups, assignGroups, kMeans } from "../../classify/kmeans";
import { CLASS_NODATA, labelCells, realCells } from "../../raster/block";
import type { ClassInfo } from "../image";
import type { Step, StepState } from "../step";
import { cellByCell, finite, floats } from "./common";
import { strideFor } from "../strideFor";

/** How cells are grouped. Distances are in standard deviations of each band over the image. */
export interface GroupParams {
  method: "kMeans" | "isodata";
  groups: number;
  seed: number;
  /** Of ISODATA only. */ splitSpread: number;
  mergeDistance: number;
  leastShare: number;
}
export const groupShape = {
  method: yup
    .string()
    .oneOf(["kMeans", "isodata"] as const)
    .required(),
  groups: yup.number().integer().min(2).max(24).required(),
  seed: yup.number().integer().min(0).max(1_000_000).required(),
  splitSpread: finite().min(0.05).max(10),
  mergeDistance: finite().min(0).max(10),
  leastShare: finite().min(0).max(0.2),
};
/**
 * Middles by group and band, in standard deviations from the mean of the band; what is needed to
 * say which group a cell is of.
 */
export interface GroupState extends StepState {
  centres: Float64Array;
  counts: Float64Array;
  mean: Float64Array;
  deviation: Float64Array;
  rounds: number;
  cells: number;
}

/** Cells that groups are found from, at the most. */
const SAMPLE = 40_000;
/** Muted, even in lightness, told apart by hue; groups beyond them begin again. */
export const GROUP_COLORS = [
  "#4e79a7",
  "#c86b3c",
  "#6a9f58",
  "#b5617c",
  "#8e6bb0",
  "#b59a3f",
  "#4fa3a0",
  "#a0705a",
  "#7b8794",
  "#d08fae",
  "#5f7f3f",
  "#3f5f8f",
  "#d2a15c",
  "#7a4f6a",
  "#59b38a",
  "#a94f4f",
  "#8aa0c8",
  "#b8b25a",
  "#5a5f9f",
  "#cf7f6f",
  "#3f8f6f",
  "#9a8f7f",
  "#6fa8c8",
  "#8f3f7f",
];
const groupClasses = (n: number): ClassInfo[] =>
  Array.from({ length: n }, (_v, k) => ({
    label: k + 1,
    name: `Group ${k + 1}`,
    color: GROUP_COLORS[k % GROUP_COLORS.length]!,
  }));

/**
 * Groups of like cells over any real-valued bands, found from an overview and given to every cell.
 * Group 1 has the lowest middle in the first band.
 */
export const groupsStep: Step<GroupParams, GroupState, { values: Float64Array }> = {
  kind: "classify.groups",
  version: 2,
  title: "Groups",
  help: "Puts cells that are alike in all bands into groups.",
  inputs: { min: 1, max: 1 },
  params: yup.object(groupShape).noUnknown(),
  overview: true,
  describe([info], params) {
    if (info!.type !== "float32") {
      throw new InputError("Groups are made of real-valued bands", "inputs");
    }
    return {
      grid: info!.grid,
      type: "class8",
      bands: [{ name: "groups", unit: "", role: "classes" }],
      classes: groupClasses(params.method === "isodata" ? 2 * params.groups : params.groups),
    };
  },
  gather: {
    async strip(ask, s, ctx) {
      const { bands } = await ask.read(0, s);
      const every = strideFor(ctx.base[0]!, ctx.level, 4 * SAMPLE);
      const out: number[] = [];
      for (let i = 0; i < s.width * s.height; i++) {
        if ((s.row * s.width + i) % every) {
          continue;
        }
        let sum = 0;
        for (const band of bands) {
          sum += band[i]!;
        }
        if (sum - sum === 0) {
          for (const band of bands) {
            out.push(band[i]!);
          }
        }
      }
      return { values: Float64Array.from(out) };
    },
    merge(parts, { params, inputs }) {
      const bandCount = inputs[0]!.bands.length;
      const total = parts.reduce((s, state) => s + state.values.length, 0);
      const all = new Float64Array(total);
      parts.reduce((at, state) => {
        all.set(state.values, at);
        return at + state.values.length;
      }, 0);
      const n = total / bandCount;
      const every = Math.max(1, Math.ceil(n / SAMPLE));
      const m = Math.ceil(n / every);
      if (n < 2 * params.groups) {
        throw new InputError(
          n === 0
            ? "No cell has values in all bands: there is nothing to group"
            : `Only ${n} cells have values in all bands`,
          "groups",
        );
      }
      const mean = new Float64Array(bandCount);
      const deviation = new Float64Array(bandCount);
      const values = new Float64Array(m * bandCount);
      for (let b = 0; b < bandCount; b++) {
        let s = 0;
        let squares = 0;
        for (let i = 0; i < n; i++) {
          s += all[i * bandCount + b]!;
        }
        mean[b] = s / n;
        for (let i = 0; i < n; i++) {
          squares += (all[i * bandCount + b]! - mean[b]!) ** 2;
        }
        deviation[b] = Math.sqrt(squares / n) || 1;
        for (let i = 0; i < m; i++) {
          values[i * bandCount + b] = (all[i * every * bandCount + b]! - mean[b]!) / deviation[b]!;
        }
      }
      const found: Groups =
        params.method === "kMeans"
          ? kMeans({ values, d: bandCount }, params.groups, { seed: params.seed })
          : isodata(
              { values, d: bandCount },
              {
                groups: params.groups,
                seed: params.seed,
                splitSpread: params.splitSpread,
                mergeDistance: params.mergeDistance,
                leastShare: params.leastShare,
              },
            );
      const k = found.counts.length;
      const order = [...Array(k).keys()].sort(
        (x, y) => found.centres[x * bandCount]! - found.centres[y * bandCount]!,
      );
      return {
        centres: Float64Array.from(
          order.flatMap((group) => [
            ...found.centres.subarray(group * bandCount, group * bandCount + bandCount),
          ]),
        ),
        counts: Float64Array.from(order.map((group) => found.counts[group]!)),
        mean,
        deviation,
        rounds: found.rounds,
        cells: m,
      };
    },
  },
  report({ state }) {
    return state
      ? {
          lines: [
            { name: "groups", value: String(state.counts.length) },
            { name: "rounds", value: String(state.rounds) },
            { name: "cells looked at", value: String(state.cells) },
          ],
          warnings: [],
        }
      : null;
  },
  reach: cellByCell,
  compute([block], out, { state }) {
    assignGroups(
      floats(block!),
      state!.mean,
      state!.deviation.map((value) => 1 / value),
      state!.centres,
      labelCells(out.bands[0]!),
    );
  },
};

/** Labels as real numbers, for rules to look at; nodata where there is no class at all. */
export const numbersStep: Step<Record<string, never>> = {
  kind: "classes.numbers",
  version: 1,
  title: "Land cover",
  help: "Labels of a classified raster as a layer of rules.",
  inputs: { min: 1, max: 1 },
  params: yup.object({}).noUnknown(),
  describe([info]) {
    if (info!.type !== "class8") {
      throw new InputError("Land cover is read from classes", "inputs");
    }
    return {
      grid: info!.grid,
      type: "float32",
      bands: [{ name: "cover", unit: "", role: "value" }],
    };
  },
  reach: cellByCell,
  compute([block], out) {
    const src = block!.bands[0]!;
    const dst = realCells(out.bands[0]!);
    for (let i = 0; i < dst.length; i++) {
      dst[i] = src[i] === CLASS_NODATA ? NaN : src[i]!;
    }
  },
};

/** A class made of groups. */
export interface GroupClass {
  label: number;
  name: string;
  color: string;
  groups: number[];
}
export const groupClassSchema = yup
  .object({
    ...classFields,
    groups: yup.array(yup.number().integer().min(1).max(254).required()).max(254).required(),
  })
  .noUnknown();

/** Classes out of groups: a cell takes the class that its group was given to, else none. */
export const pickGroupsStep: Step<{ classes: GroupClass[] }> = {
  kind: "classify.pick",
  version: 1,
  title: "Classes of groups",
  help: "Groups that were picked become classes.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({ classes: yup.array(groupClassSchema).min(1).max(254).required() })
    .noUnknown(),
  describe([info], params) {
    if (info!.type !== "class8") {
      throw new InputError("Classes are picked out of groups", "inputs");
    }
    if (
      new Set(params.classes.map((groupClass) => groupClass.label)).size !== params.classes.length
    ) {
      throw new InputError("Two classes have the same label", "classes");
    }
    const twice = params.classes
      .flatMap((groupClass) => groupClass.groups)
      .find((group, i, all) => all.indexOf(group) !== i);
    if (twice !== undefined) {
      throw new InputError(`Group ${twice} is in two classes`, "classes", "Take it out of one.");
    }
    return {
      grid: info!.grid,
      type: "class8",
      bands: [{ name: "change", unit: "", role: "classes" }],
      classes: params.classes.map(({ label, name, color }) => ({ label, name, color })),
    };
  },
  reach: cellByCell,
  compute([block], out, { params }) {
    const to = new Uint8Array(256);
    const src = block!.bands[0]!;
    const dst = labelCells(out.bands[0]!);
    to[CLASS_NODATA] = CLASS_NODATA;
    for (const groupClass of params.classes) {
      for (const group of groupClass.groups) {
        to[group] = groupClass.label;
      }
    }
    for (let i = 0; i < dst.length; i++) {
      dst[i] = to[src[i]!]!;
    }
  },
};
