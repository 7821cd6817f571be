import { InputError } from "../../errors";
import {
  LAND,
  SCATTER,
  WATER,
  type ClearLine,
  type Ground,
  type HazeBands,
  clearLine,
  groundOf,
  hazeOf,
} from "../../optical/haze";
import { smoothMap } from "../../optical/smooth";
import { bandOfColour } from "../../optical/wavelengths";
import type { BandInfo, ImageInfo } from "../image";
import type { Step, StepState } from "../step";
import { cutHalo, floats, none, withHalo } from "./common";

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
/** The band of haze that the map adds, and the one of the ground below it. */
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
