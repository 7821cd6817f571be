import * as yup from "yup";
import { InputError } from "../../errors";
import { DARK_BINS, type DarkMethod, darkValue, subtractDark } from "../../optical/darkObject";
import {
  type EmpiricalFit,
  LEAST_DIVERSITY,
  SOUND_GAINS,
  empiricalFit,
} from "../../optical/endMembers";
import { bandOfColour } from "../../optical/wavelengths";
import { addToHistogram, emptyHistogram } from "../../raster/histogram";
import type { ImageInfo } from "../image";
import type { Step, StepReport, StepState } from "../step";
import { cellByCell, floats } from "./common";

interface DarkState extends StepState {
  counts: Float64Array;
  cells: number;
  /** Cells taken evenly over the image, band after band within a cell. */ sample: Float64Array;
  empty: number;
  cloudy: number;
}
export type SurfaceMethod = DarkMethod | "empirical";
const SAMPLE_CELLS = 20_000;
/** Light bands on which a dark object is looked for. */
const lightBands = (info: ImageInfo): number[] =>
  info.bands.flatMap((band, k) => (band.role === "reflectance" ? [k] : []));

/**
 * Reflectance of the ground: the light of the air is taken off by the darkest ground of the scene.
 */
export const surfaceStep: Step<{ method: SurfaceMethod }, DarkState> = {
  kind: "optical.surface",
  version: 2,
  title: "Surface",
  help: "Reflectance of the ground by the darkest cells of the scene (Chavez 1988), with the light lost on its way down where asked (COST, Chavez 1996), or by the scene's own materials.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      method: yup
        .string()
        .oneOf(["darkObject", "cost", "empirical"] as const)
        .required(),
    })
    .noUnknown(),
  gathers: [],
  describe([info], params) {
    if (lightBands(info!).length === 0) {
      throw new InputError(
        "Surface needs reflectance at the top of the atmosphere",
        "inputs",
        "Use Reflectance before it.",
      );
    }
    if (info!.optical?.level === 2) {
      throw new InputError(
        "These numbers are surface reflectance already: the air has been taken out by their maker",
        "inputs",
        "Skip this step.",
      );
    }
    const blind = lightBands(info!).find((k) => info!.bands[k]!.wavelengthNm === undefined);
    if (params.method === "empirical" && lightBands(info!).length < 3) {
      throw new InputError(
        `The empirical method needs three bands or more, and there ${lightBands(info!).length === 1 ? "is one" : `are ${lightBands(info!).length}`}`,
        "method",
        "Use the dark object.",
      );
    }
    if (params.method !== "darkObject" && blind !== undefined) {
      throw new InputError(
        `It is not known at which wavelength band ${info!.bands[blind]!.name} lies`,
        "method",
      );
    }
    if (params.method === "cost" && !(info!.optical?.sunElevationDeg != null)) {
      throw new InputError(
        "The metadata do not say how high the sun stood",
        "method",
        "Use the method without transmittance.",
      );
    }
    return info!;
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const block = await ask.read(0, strip);
      const bands = lightBands(ctx.base[0]!);
      const counts = new Float64Array(bands.length * (DARK_BINS.bins + 1));
      bands.forEach((k, j) => {
        const histogram = emptyHistogram(DARK_BINS.min, DARK_BINS.max, DARK_BINS.bins);
        addToHistogram(histogram, block.bands[k]!);
        counts.set(histogram.counts, j * (DARK_BINS.bins + 1));
        counts[j * (DARK_BINS.bins + 1) + DARK_BINS.bins] = histogram.below;
      });
      const grid = ask.inputs[0]!.grid;
      const every = Math.max(1, Math.ceil(Math.sqrt((grid.width * grid.height) / SAMPLE_CELLS)));
      const sample: number[] = [];
      const light = bands.map((k) => floats(block)[k]!);
      const first = light[0]!;
      const [blue, green, red] = (["blue", "green", "red"] as const).map(
        (c) => floats(block)[bandOfColour(ctx.base[0]!.bands, c)],
      );
      let empty = 0;
      let cloudy = 0;
      for (let i = 0; i < first.length; i++) {
        if (first[i] !== first[i]) {
          empty++;
        }
      }
      if (blue && green && red) {
        for (let i = 0; i < first.length; i++) {
          if (blue[i]! > 0.27 && green[i]! > 0.27 && red[i]! > 0.27) {
            cloudy++;
          }
        }
      }
      for (let r = (every - (strip.row % every)) % every; r < strip.height; r += every) {
        for (let c = 0; c < strip.width; c += every) {
          const i = r * strip.width + c;
          if (light.every((values) => values[i]! - values[i]! === 0)) {
            for (const values of light) {
              sample.push(values[i]!);
            }
          }
        }
      }
      return {
        counts,
        cells: strip.width * strip.height,
        sample: Float64Array.from(sample),
        empty,
        cloudy,
      };
    },
    merge(parts) {
      const counts = new Float64Array(parts[0]!.counts.length);
      for (const dark of parts) {
        dark.counts.forEach((count, i) => {
          counts[i]! += count;
        });
      }
      const sum = (figure: (dark: DarkState) => number) =>
        parts.reduce((n, dark) => n + figure(dark), 0);
      return {
        counts,
        cells: sum((dark) => dark.cells),
        sample: Float64Array.from(parts.flatMap((dark) => [...dark.sample])),
        empty: sum((dark) => dark.empty),
        cloudy: sum((dark) => dark.cloudy),
      };
    },
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const dark = darkValues(ctx.base[0]!, ctx.state!);
    const info = ctx.base[0]!;
    const { method } = ctx.params;
    const fit = method === "empirical" ? fitOf(info, ctx.state!) : null;
    const light = lightBands(info);
    info.bands.forEach((band, k) => {
      const darkest = dark.get(k);
      const src = floats(block!)[k]!;
      const dst = floats(out)[k]!;
      if (darkest === undefined || Number.isNaN(darkest)) {
        dst.set(src);
      } else if (fit) {
        const gain = fit.gains[light.indexOf(k)]!;
        for (let i = 0; i < src.length; i++) {
          const value = (src[i]! - darkest) * gain;
          dst[i] = value < 0 ? 0 : value;
        }
      } else if (method !== "empirical") {
        subtractDark(
          src,
          darkest,
          method,
          info.optical!.sunElevationDeg ?? 90,
          band.wavelengthNm ?? 0,
          dst,
        );
      }
    });
  },
  report(ctx): StepReport {
    const info = ctx.base[0]!;
    const state = ctx.state!;
    const dark = darkValues(info, state);
    const seen = state.cells - state.empty;
    const few = [...dark]
      .filter(([, darkest]) => Number.isNaN(darkest))
      .map(([k]) => info.bands[k]!.name);
    const fit = ctx.params.method === "empirical" ? fitOf(info, state) : null;
    const warnings: string[] = [];
    const lines = [...dark].map(([k, darkest]) => ({
      name: `Darkest ground, ${info.bands[k]!.name}`,
      value: Number.isNaN(darkest) ? "none" : darkest.toFixed(4),
    }));
    if (few.length) {
      warnings.push(
        `Too few dark cells were found for ${few.join(", ")}: ${few.length === 1 ? "this band stays" : "these bands stay"} as at the top of the atmosphere.`,
      );
    }
    if (seen > 0 && state.cloudy / seen > 0.02) {
      warnings.push(
        `${Math.round((100 * state.cloudy) / seen)} % of the cells look like cloud. Mask them first: they spoil what is taken from the whole scene.`,
      );
    }
    if ([...dark.values()].some((darkest) => darkest < -0.005)) {
      warnings.push(
        "The darkest cells lie below zero: the border of the frame seems not to be masked.",
      );
    }
    if (fit) {
      lines.push(
        { name: "End members", value: String(fit.members) },
        { name: "Mean angle between them", value: `${fit.diversity.toFixed(2)} rad` },
        ...lightBands(info).map((k, j) => ({
          name: `Gain, ${info.bands[k]!.name}`,
          value: fit.gains[j]!.toFixed(3),
        })),
      );
      if (!(fit.diversity >= LEAST_DIVERSITY)) {
        warnings.push(
          "The materials of the scene are too much alike: the empirical method does not hold here. Use the dark object.",
        );
      }
      const odd = lightBands(info).filter(
        (_k, j) => !(fit.gains[j]! >= SOUND_GAINS[0] && fit.gains[j]! <= SOUND_GAINS[1]),
      );
      if (odd.length) {
        warnings.push(
          `The gain of ${odd.map((k) => info.bands[k]!.name).join(", ")} is more than air can account for: the scene lacks bright, dry or built ground. Use the dark object.`,
        );
      }
    }
    return { lines, warnings };
  },
};

const fits = new WeakMap<DarkState, EmpiricalFit>();
function fitOf(info: ImageInfo, s: DarkState): EmpiricalFit {
  let ownFit = fits.get(s);
  if (!ownFit) {
    const light = lightBands(info);
    const dark = darkValues(info, s);
    const n = light.length;
    fits.set(
      s,
      (ownFit = empiricalFit(
        s.sample.map((value, k) => {
          const darkest = dark.get(light[k % n]!)!;
          return value - (Number.isNaN(darkest) ? 0 : darkest);
        }),
        light.map((k) => info.bands[k]!.wavelengthNm!),
      )),
    );
  }
  return ownFit;
}

/** Dark values by band out of what was gathered. */
export function darkValues(info: ImageInfo, dark: DarkState): Map<number, number> {
  return new Map(
    lightBands(info).map((k, j) => {
      const at = j * (DARK_BINS.bins + 1);
      const h = {
        min: DARK_BINS.min,
        max: DARK_BINS.max,
        counts: [...dark.counts.subarray(at, at + DARK_BINS.bins)],
        below: dark.counts[at + DARK_BINS.bins]!,
        above: 0,
      };
      return [k, darkValue(h)];
    }),
  );
}
