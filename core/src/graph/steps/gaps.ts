import * as yup from "yup";
import { InputError } from "../../errors";
import {
  GAP_REACH,
  enclosed,
  fillFromDate,
  fillFromNeighbours,
  reachOut,
} from "../../optical/gaps";
import { QUALITY_BITS } from "../../optical/quality";
import type { BandInfo, ImageInfo } from "../image";
import type { Step } from "../step";
import { cutHalo, floats, isLight, requireOneGrid, withHalo } from "./common";

export interface GapsParams {
  /** Also cells that Mask took out, cloud say. */ masked: boolean;
}
/** Band that says which cells were filled: 1, else 0. */
export const FILLED: BandInfo = { name: "filled", unit: "", role: "mask" };

/**
 * Band of the filling date that is the same as a band: by wavelength, by name where there is none.
 */
function partner(band: BandInfo, other: ImageInfo): number {
  const light = other.bands.map((x, k) => [x, k] as const).filter(([x]) => isLight(x));
  const near = light
    .filter(([x]) =>
      band.wavelengthNm !== undefined && x.wavelengthNm !== undefined
        ? Math.abs(x.wavelengthNm - band.wavelengthNm) <= 40
        : x.name === band.name,
    )
    .sort(
      ([x], [y]) =>
        Math.abs((x.wavelengthNm ?? 0) - (band.wavelengthNm ?? 0)) -
        Math.abs((y.wavelengthNm ?? 0) - (band.wavelengthNm ?? 0)),
    );
  return near[0]?.[1] ?? -1;
}

/**
 * Missing cells inside a frame (scan gaps) get values: from a second date on the same grid, or from
 * their neighbours. A band marks what was filled.
 */
export const gapsStep: Step<GapsParams> = {
  kind: "optical.gaps",
  version: 1,
  title: "Scan gaps",
  help: "Missing lines inside the frame are filled: from a second date by local linear match (Scaramuzza et al. 2004), from neighbours along edges where there is none. Filled cells stay marked.",
  inputs: { min: 1, max: 2 },
  params: yup.object({ masked: yup.boolean().required() }).noUnknown(),
  describe(inputs) {
    const info = inputs[0]!;
    if (!info.bands.some(isLight)) {
      throw new InputError("Scan gaps needs the bands of an optical scene", "inputs");
    }
    if (inputs[1]) {
      requireOneGrid("Scan gaps", inputs);
      const lone = info.bands.find((band) => isLight(band) && partner(band, inputs[1]!) < 0);
      if (lone) {
        throw new InputError(
          `The filling date has no band like ${lone.name}`,
          "sceneId",
          "Take another date, or fill from neighbours.",
        );
      }
    }
    return { ...info, bands: [...info.bands, FILLED] };
  },
  reach: (w, ctx) => withHalo(w, ctx, GAP_REACH),
  compute([block, b], out, ctx) {
    const info = ctx.base[0]!;
    const w = out.window;
    const width = w.width + 2 * GAP_REACH;
    const height = w.height + 2 * GAP_REACH;
    const n = width * height;
    const src = floats(block!);
    const light = info.bands.flatMap((band, k) => (isLight(band) ? [k] : []));
    const qualityBand = info.bands.findIndex((band) => band.role === "quality");
    const valid = new Uint8Array(n).fill(1);
    for (const k of light) {
      const values = src[k]!;
      for (let i = 0; i < n; i++) {
        if (values[i] !== values[i]) {
          valid[i] = 0;
        }
      }
    }
    const bands = light.map((k) => src[k]!.slice());
    const filled = new Uint8Array(n);
    if (valid.includes(0)) {
      const far = reachOut(valid, width, height);
      const gaps = new Uint8Array(n);
      for (let i = 0; i < n; i++) {
        if (valid[i]) {
          continue;
        }
        // The quality band tells lines that were never seen from cells that a mask took out.
        const bits = qualityBand < 0 ? NaN : src[qualityBand]![i]!;
        const masked = bits === bits && (bits & (1 << QUALITY_BITS.fill)) === 0;
        gaps[i] = (masked ? ctx.params.masked : enclosed(far, i)) ? 1 : 0;
      }
      if (b) {
        const by = light.map((k) => floats(b)[partner(info.bands[k]!, ctx.base[1]!)]!);
        const got = light.map(() => new Uint8Array(n));
        light.forEach((k, j) =>
          fillFromDate(src[k]!, by[j]!, gaps, width, height, bands[j]!, got[j]!),
        );
        for (let i = 0; i < n; i++) {
          if (got.every((cells) => cells[i])) {
            filled[i] = 1;
          }
        }
      } else {
        fillFromNeighbours(
          light.map((k) => src[k]!),
          gaps,
          far,
          width,
          bands,
          filled,
        );
      }
    }
    // A band that nothing was filled in is the input's own.
    src.forEach((values, k) => cutHalo(values, width, GAP_REACH, w, floats(out)[k]!));
    const marks = floats(out).at(-1)!.fill(0);
    light.forEach((k, j) => {
      const dst = floats(out)[k]!;
      const from = bands[j]!;
      for (let r = 0; r < w.height; r++) {
        for (
          let c = 0, i = (r + GAP_REACH) * width + GAP_REACH, offset = r * w.width;
          c < w.width;
          c++, i++, offset++
        ) {
          if (filled[i]) {
            dst[offset] = from[i]!;
            marks[offset] = 1;
          }
        }
      }
    });
  },
};
