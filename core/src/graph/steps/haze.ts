import * as yup from "yup";
import { InputError } from "../../errors";
import {
  HAZE_BINS,
  HAZE_CLOUD,
  HAZE_LEVELS,
  LAND,
  LIGHT_BINS,
  SCATTER,
  WATER,
  type ClearLine,
  type Ground,
  type HazeBands,
  type HazeCurve,
  clearLine,
  groundOf,
  hazeBin,
  hazeCurve,
  hazeLevel,
  hazeOf,
  hazeOff,
} from "../../optical/haze";
import { smoothMap } from "../../optical/smooth";
import { bandOfColour } from "../../optical/wavelengths";
import type { BandInfo, ImageInfo } from "../image";
import type { Step, StepReport, StepState } from "../step";
import { cellByCell, cutHalo, floats, none, withHalo } from "./common";

/**
 * Haze is smoothed over about so many metres each way; ground that shows none takes that of its
 * surroundings.
 */
const SMOOTH_METRES = 240;
const halfOf = (info: ImageInfo): number =>
  Math.max(1, Math.min(12, Math.round(SMOOTH_METRES / Math.abs(info.grid.transform[1]))));

function hazeBands(info: ImageInfo): HazeBands {
  const of = (c: "blue" | "green" | "red" | "nir" | "swir1") => {
    const k = bandOfColour(info.bands, c);
    return k >= 0 && info.bands[k]!.role === "reflectance" ? k : -1;
  };
  const b = {
    blue: of("blue"),
    green: of("green"),
    red: of("red"),
    nir: of("nir"),
    swir: of("swir1"),
  };
  const lack = (["blue", "green", "red", "nir"] as const).find((k) => b[k] < 0);
  if (lack) {
    throw new InputError(
      `Haze is found on reflectance in blue, green, red and near infrared; ${lack === "nir" ? "near infrared" : lack} is not there`,
      "inputs",
      info.bands.some((band) => band.role === "dn")
        ? "Use Reflectance before it."
        : "Skip this step.",
    );
  }
  return b;
}
/** What the band of the haze's ground holds; grounds that give no haze take no part later on. */
const GROUND_CODES: Record<Ground, number> = {
  plants: LAND,
  land: LAND,
  water: WATER,
  cloud: 2,
  none: 3,
};

function grounds(src: readonly Float32Array[], b: HazeBands): (i: number) => Ground {
  const [blue, green, red, nir] = [src[b.blue]!, src[b.green]!, src[b.red]!, src[b.nir]!];
  const swir = b.swir < 0 ? null : src[b.swir]!;
  return (i) => groundOf(blue[i]!, green[i]!, red[i]!, nir[i]!, swir ? swir[i]! : NaN);
}

interface LineState extends StepState {
  counts: Float64Array;
  water: Float64Array;
  cloud: number;
  cells: number;
}
export const HAZE: BandInfo = { name: "haze", unit: "", role: "haze" };
export const HAZE_GROUND: BandInfo = { name: "haze ground", unit: "", role: "mask" };
/**
 * Haze as reflectance beyond clear air: distance from the clear line over land, near infrared over
 * water; smoothed. Two bands are added: haze, and the ground it is over (0 land, 1 water, 2 cloud).
 */
export const hazeMapStep: Step<Record<string, never>, LineState> = {
  kind: "optical.hazeMap",
  version: 1,
  title: "Haze map",
  help: "How hazy the air is over each cell (haze-optimised transform, Zhang, Guindon & Cihlar 2002).",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    hazeBands(info!);
    if (info!.optical?.level === 2) {
      throw new InputError(
        "These numbers are surface reflectance already: the air has been taken out by their maker",
        "inputs",
        "Skip this step.",
      );
    }
    return { ...info!, bands: [...info!.bands, HAZE, HAZE_GROUND] };
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const src = floats(await ask.read(0, strip));
      const b = hazeBands(ctx.base[0]!);
      const n = SCATTER.bins;
      const counts = new Float64Array(n * n);
      const water = new Float64Array(200);
      const groundAt = grounds(src, b);
      let cloud = 0;
      let cells = 0;
      for (let i = 0; i < src[0]!.length; i++) {
        const groundHere = groundAt(i);
        if (groundHere === "none") {
          continue;
        }
        cells++;
        if (groundHere === "cloud") {
          cloud++;
        } else if (groundHere === "water") {
          water[Math.max(0, Math.min(199, Math.floor(src[b.nir]![i]! * 1000)))]!++;
        } else if (groundHere === "plants") {
          const x = Math.floor((src[b.red]![i]! / SCATTER.max) * n);
          const y = Math.floor((src[b.blue]![i]! / SCATTER.max) * n);
          if (x >= 0 && y >= 0 && x < n && y < n) {
            counts[y * n + x]!++;
          }
        }
      }
      return { counts, water, cloud, cells };
    },
    merge: (parts) =>
      parts.reduce((state, b) => ({
        counts: state.counts.map((count, i) => count + b.counts[i]!),
        water: state.water.map((value, i) => value + b.water[i]!),
        cloud: state.cloud + b.cloud,
        cells: state.cells + b.cells,
      })),
  },
  reach: (w, ctx) => withHalo(w, ctx, 3 * halfOf(ctx.inputs[0]!)),
  compute([block], out, ctx) {
    const { half, W: width, H: height } = sizes(ctx.inputs[0]!, out.window);
    const src = floats(block!);
    const b = hazeBands(ctx.base[0]!);
    const line = lineOf(ctx.state!);
    const clearNir = clearWater(ctx.state!);
    const land = new Float32Array(width * height).fill(NaN);
    const water = new Float32Array(width * height).fill(NaN);
    const ground = new Uint8Array(width * height);
    const groundAt = grounds(src, b);
    for (let i = 0; i < width * height; i++) {
      const groundHere = groundAt(i);
      ground[i] = GROUND_CODES[groundHere];
      if (groundHere === "plants") {
        land[i] = hazeOf(line, src[b.blue]![i]!, src[b.red]![i]!);
      } else if (groundHere === "water") {
        water[i] = src[b.nir]![i]! - clearNir;
      }
    }
    const over = [smoothMap(land, width, height, half), smoothMap(water, width, height, half)];
    const at = ctx.base[0]!.bands.length;
    const w = out.window;
    for (let k = 0; k < at; k++) {
      cutHalo(src[k]!, width, 3 * half, w, floats(out)[k]!);
    }
    const haze = floats(out)[at]!;
    const kind = floats(out)[at + 1]!;
    for (let r = 0, offset = 0; r < w.height; r++) {
      for (let c = 0, i = (r + 3 * half) * width + 3 * half; c < w.width; c++, i++, offset++) {
        const group = ground[i]!;
        haze[offset] = group < 2 ? over[group]![i]! : NaN;
        kind[offset] = group < 3 ? group : NaN;
      }
    }
  },
  report(ctx) {
    const line = clearLine(ctx.state!.counts);
    const state = ctx.state!;
    return line
      ? {
          lines: [
            {
              name: "Clear line",
              value: `blue = ${line.intercept.toFixed(4)} + ${line.slope.toFixed(3)} · red`,
            },
            { name: "Cells of plants it was laid through", value: String(line.cells) },
          ],
          warnings:
            state.cells && state.cloud / state.cells > 0.02
              ? [
                  `${Math.round((100 * state.cloud) / state.cells)} % of the cells look like cloud. Mask them first: haze cannot be taken off cloud.`,
                ]
              : [],
        }
      : null;
  },
};
const sizes = (info: ImageInfo, w: { width: number; height: number }) => {
  const half = halfOf(info);
  return { half, W: w.width + 6 * half, H: w.height + 6 * half };
};
function lineOf(state: LineState): ClearLine {
  const line = clearLine(state.counts);
  if (!line) {
    throw new InputError(
      "There are too few cells of plants to find the clear line by",
      "inputs",
      "Skip Haze for this date.",
    );
  }
  return line;
}
/** Near infrared of clear water: the lowest twentieth. */
function clearWater(state: LineState): number {
  const total = state.water.reduce((a, b) => a + b, 0);
  let n = 0;
  for (let k = 0; k < 200; k++) {
    n += state.water[k]!;
    if (n >= 0.05 * total) {
      return (k + 0.5) / 1000;
    }
  }
  return 0;
}

interface LevelState extends StepState {
  counts: Float64Array;
  levels: Float64Array;
}
const lightOf = (info: ImageInfo): number[] =>
  info.bands.flatMap((band, k) => (band.role === "reflectance" ? [k] : []));
const TABLE = HAZE_BINS.bins * LIGHT_BINS.bins;
/**
 * Takes haze off by its level, over land and water apart; adds a band with the level of each cell,
 * see HAZE_LEVELS. Cells in clear air stay as they are.
 */
export const hazeStep: Step<{ strength: number }, LevelState> = {
  kind: "optical.haze",
  version: 1,
  title: "Haze",
  help: "Haze is taken off by its level: in each, the darkest ground is brought to that of clear air. Over land and over water apart; cloud is left.",
  inputs: { min: 1, max: 1 },
  params: yup.object({ strength: yup.number().min(0.1).max(1.5).required() }).noUnknown(),
  gathers: [],
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "haze")) {
      throw new InputError("Haze is taken off by a haze map", "inputs");
    }
    return {
      ...info!,
      bands: info!.bands.map((band) =>
        band.name === HAZE_GROUND.name ? { ...band, name: "haze level" } : band,
      ),
    };
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const i0 = ctx.base[0]!;
      const src = floats(await ask.read(0, strip));
      const light = lightOf(i0);
      const h = src[i0.bands.findIndex((band) => band.role === "haze")]!;
      const greenness = src[i0.bands.findIndex((band) => band.name === HAZE_GROUND.name)]!;
      const counts = new Float64Array(2 * light.length * TABLE);
      // Where each cell's histograms begin: its ground and its bin of haze; −1 for cells without
      // either.
      const at = new Int32Array(h.length);
      const scale = LIGHT_BINS.bins / (LIGHT_BINS.max - LIGHT_BINS.min);
      const top = LIGHT_BINS.bins - 1;
      for (let i = 0; i < at.length; i++) {
        const haze = h[i]!;
        at[i] =
          haze === haze
            ? greenness[i]! * light.length * TABLE + hazeBin(haze) * LIGHT_BINS.bins
            : -1;
      }
      light.forEach((k, j) => {
        const values = src[k]!;
        const band = j * TABLE;
        for (let i = 0; i < values.length; i++) {
          const offset = at[i]!;
          const x = values[i]!;
          if (offset >= 0 && x === x) {
            const y = (x - LIGHT_BINS.min) * scale;
            const bin = Math.min(Math.max(y, 0), top) | 0;
            counts[offset + band + bin]!++;
          }
        }
      });
      let clouds = 0;
      let cells = 0;
      for (const value of greenness) {
        if (value === value) {
          cells++;
        }
        if (value === 2) {
          clouds++;
        }
      }
      return { counts, levels: Float64Array.of(clouds, cells) };
    },
    merge: (parts) =>
      parts.reduce((state, b) => ({
        counts: state.counts.map((count, i) => count + b.counts[i]!),
        levels: state.levels.map((level, i) => level + b.levels[i]!),
      })),
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const info = ctx.base[0]!;
    const src = floats(block!);
    const dst = floats(out);
    const light = lightOf(info);
    const curves = curvesOf(ctx.state!, light.length);
    const hk = info.bands.findIndex((band) => band.role === "haze");
    const gk = info.bands.findIndex((band) => band.name === HAZE_GROUND.name);
    const h = src[hk]!;
    const greenness = src[gk]!;
    const n = h.length;
    src.forEach((s, k) => dst[k]!.set(s));
    const level = dst[gk]!;
    const beyond = new Float32Array(n);
    for (let i = 0; i < n; i++) {
      const over = greenness[i]!;
      const c = over < 2 ? curves[over] : null;
      beyond[i] = c ? h[i]! - c.from : 0;
      // Without a ground the sum is not a number, which is what nodata is.
      level[i] = over === 2 ? HAZE_CLOUD : over * 4 + hazeLevel(beyond[i]!);
    }
    light.forEach((k, j) => {
      const values = dst[k]!;
      for (let i = 0; i < n; i++) {
        if (beyond[i]! > 0) {
          values[i] = Math.max(
            0,
            values[i]! - ctx.params.strength * hazeOff(curves[greenness[i]!]!, j, h[i]!),
          );
        }
      }
    });
  },
  report(ctx): StepReport {
    const light = lightOf(ctx.base[0]!).length;
    const state = ctx.state!;
    const curves = curvesOf(state, light);
    const lines: StepReport["lines"] = [];
    const cells = state.levels[1]!;
    const per = new Array<number>(HAZE_LEVELS.length).fill(0);
    for (let over = 0; over < 2; over++) {
      for (let k = 0; k < HAZE_BINS.bins; k++) {
        let n = 0;
        for (let y = 0; y < LIGHT_BINS.bins; y++) {
          n += state.counts[over * light * TABLE + k * LIGHT_BINS.bins + y]!;
        }
        const curve = curves[over];
        const mid = HAZE_BINS.min + ((k + 0.5) * (HAZE_BINS.max - HAZE_BINS.min)) / HAZE_BINS.bins;
        per[over * 4 + hazeLevel(curve ? mid - curve.from : 0)]! += n;
      }
    }
    per[HAZE_CLOUD] = state.levels[0]!;
    per.forEach((n, k) => {
      if (n > 0) {
        lines.push({ name: HAZE_LEVELS[k]!, value: `${((100 * n) / cells).toFixed(1)} %` });
      }
    });
    return {
      lines,
      warnings: [
        ...(curves[LAND]
          ? []
          : ["There is too little land to find haze over it: land stays as it is."]),
        ...(per[1]! + per[2]! + per[3]! > 0.6 * cells
          ? [
              "More than half of the land is called hazy: haze that lies over the whole scene is for Surface to take off.",
            ]
          : []),
      ],
    };
  },
};
const known = new WeakMap<LevelState, (HazeCurve | null)[]>();
function curvesOf(state: LevelState, bands: number): (HazeCurve | null)[] {
  let c = known.get(state);
  if (!c) {
    known.set(
      state,
      (c = [LAND, WATER].map((over) =>
        hazeCurve(
          Array.from({ length: bands }, (_v, j) =>
            state.counts.subarray((over * bands + j) * TABLE, (over * bands + j + 1) * TABLE),
          ),
        ),
      )),
    );
  }
  return c;
}

/** The levels of a haze band as classes, for a map of them. */
export const hazeLevelsStep: Step<Record<string, never>> = {
  kind: "optical.hazeLevels",
  version: 1,
  title: "Haze levels",
  help: "The haze map in its named levels.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.name === "haze level")) {
      throw new InputError("There is no haze level here", "inputs");
    }
    return {
      grid: info!.grid,
      type: "class8",
      bands: [{ name: "haze level", unit: "", role: "classes" }],
      classes: HAZE_LEVELS.map((name, k) => ({ label: k + 1, name, color: COLORS[k]! })),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const values = floats(block!)[
      ctx.base[0]!.bands.findIndex((band) => band.name === "haze level")
    ]!;
    const cells = out.bands[0]!;
    for (let i = 0; i < cells.length; i++) {
      cells[i] =
        values[i] === values[i]
          ? Math.min(HAZE_CLOUD, Math.max(0, Math.round(values[i]!))) + 1
          : 255;
    }
  },
};
const COLORS = [
  "#e9e4d4",
  "#d9c27a",
  "#c58b2e",
  "#8f4a12",
  "#c9dbe6",
  "#86b1cc",
  "#4a7ea6",
  "#2a4a6e",
  "#ffffff",
] as const;
