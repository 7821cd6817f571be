import * as yup from "yup";
import { InputError } from "../../errors";
import {
  type Overlap,
  type Tone,
  TONE_BINS,
  TONE_TILES,
  balance,
  depthInside,
  frameLight,
  lightAt,
  overlapRms,
  toneBin,
} from "../../optical/tone";
import { bandOfColour } from "../../optical/wavelengths";
import type { ImageInfo } from "../image";
import type { Step, StepReport, StepState } from "../step";
import { cellByCell, floats, isLight, none, requireOneGrid, withHalo } from "./common";

const lightOf = (info: ImageInfo): number[] =>
  info.bands.flatMap((band, k) => (isLight(band) ? [k] : []));
const TILES = TONE_TILES * TONE_TILES;

interface LightState extends StepState {
  counts: Float64Array;
  sums: Float64Array;
}
/**
 * The light of one frame made even: hot spot and dark edges are taken out by a smooth surface, the
 * mean stays.
 */
export const evenLightStep: Step<Record<string, never>, LightState> = {
  kind: "optical.evenLight",
  version: 1,
  title: "Even light",
  help: "Takes a hot spot and dark edges out of a frame. What is brighter for its cover stays brighter.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if ((["red", "nir"] as const).some((colour) => bandOfColour(info!.bands, colour) < 0)) {
      throw new InputError(
        "Even light tells covers apart by red and near infrared, and one of them is not there",
        "inside",
        "Leave the light inside frames as it is.",
      );
    }
    return info!;
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const info = ctx.base[0]!;
      const grid = ask.inputs[0]!.grid;
      const src = floats(await ask.read(0, strip));
      const light = lightOf(info);
      const red = src[bandOfColour(info.bands, "red")]!;
      const nir = src[bandOfColour(info.bands, "nir")]!;
      const swir = src[bandOfColour(info.bands, "swir1")];
      const counts = new Float64Array(TILES * TONE_BINS);
      const sums = new Float64Array(light.length * TILES * TONE_BINS);
      for (let r = 0, i = 0; r < strip.height; r++) {
        for (let c = 0; c < strip.width; c++, i++) {
          const b = toneBin(red[i]!, nir[i]!, swir ? swir[i]! : NaN);
          if (b < 0 || !light.every((k) => src[k]![i]! > 1e-3)) {
            continue;
          }
          const at =
            (Math.floor(((strip.row + r) * TONE_TILES) / grid.height) * TONE_TILES +
              Math.floor((c * TONE_TILES) / grid.width)) *
              TONE_BINS +
            b;
          counts[at]!++;
          light.forEach((k, j) => {
            sums[j * TILES * TONE_BINS + at]! += Math.log(src[k]![i]!);
          });
        }
      }
      return { counts, sums };
    },
    merge: (parts) =>
      parts.reduce((state, b) => ({
        counts: state.counts.map((count, i) => count + b.counts[i]!),
        sums: state.sums.map((sum, i) => sum + b.sums[i]!),
      })),
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const info = ctx.base[0]!;
    const grid = ctx.output.grid;
    const w = out.window;
    const surface = surfaceOf(ctx.state!);
    // The surface is so smooth that every eighth cell of the image is enough; between, straight
    // lines in both directions.
    const NODES = 8;
    const i0 = Math.floor(w.col / NODES);
    const j0 = Math.floor(w.row / NODES);
    const nx = Math.floor((w.col + w.width - 1) / NODES) - i0 + 2;
    const ny = Math.floor((w.row + w.height - 1) / NODES) - j0 + 2;
    const factor = new Float64Array(nx * ny);
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++) {
        factor[j * nx + i] = Math.exp(
          -lightAt(
            surface,
            (((i0 + i) * NODES + 0.5) * TONE_TILES) / grid.width,
            (((j0 + j) * NODES + 0.5) * TONE_TILES) / grid.height,
          ),
        );
      }
    }
    info.bands.forEach((band, k) => {
      const src = floats(block!)[k]!;
      const dst = floats(out)[k]!;
      if (!isLight(band)) {
        dst.set(src);
        return;
      }
      for (let r = 0; r < w.height; r++) {
        for (let c = 0; c < w.width; c++) {
          const x = (w.col + c) / NODES;
          const y = (w.row + r) / NODES;
          const i = Math.floor(x) - i0;
          const j = Math.floor(y) - j0;
          const across = x - i - i0;
          const value = y - j - j0;
          const node = j * nx + i;
          const offset = r * w.width + c;
          dst[offset] =
            src[offset]! *
            ((factor[node]! * (1 - across) + factor[node + 1]! * across) * (1 - value) +
              (factor[node + nx]! * (1 - across) + factor[node + nx + 1]! * across) * value);
        }
      }
    });
  },
  report(ctx) {
    const s = surfaceOf(ctx.state!);
    return {
      lines: [
        {
          name: "Light inside a frame",
          value: `${Math.exp(Math.min(...s)).toFixed(2)} to ${Math.exp(Math.max(...s)).toFixed(2)}`,
        },
      ],
      warnings: [],
    };
  },
};
const lights = new WeakMap<LightState, Float64Array>();
function surfaceOf(state: LightState): Float64Array {
  const n = TILES * TONE_BINS;
  let light = lights.get(state);
  if (!light) {
    lights.set(
      state,
      (light = frameLight(
        state.counts,
        Array.from({ length: state.sums.length / n }, (_v, j) =>
          state.sums.subarray(j * n, (j + 1) * n),
        ),
      )),
    );
  }
  return light;
}

export interface MosaicParams {
  /** Frames brought to one level and contrast. */ between: boolean;
  /** Which frame stays as it is. */ anchor: number;
  featherCells: number;
}
interface MosaicState extends StepState {
  sums: Float64Array;
}
const PER = 6;
/** Frames on one grid as one image: levels and contrasts brought together, seams feathered. */
export const mosaicStep: Step<MosaicParams, MosaicState> = {
  kind: "optical.mosaic",
  version: 1,
  title: "Mosaic",
  help: "Frames of one date as one image. Level and contrast of each frame are brought to those of one of them by what they share; seams are feathered.",
  inputs: { min: 2, max: 32 },
  params: yup
    .object({
      between: yup.boolean().required(),
      anchor: yup.number().integer().min(0).required(),
      featherCells: yup.number().integer().min(1).max(128).required(),
    })
    .noUnknown(),
  describe(inputs, params) {
    requireOneGrid("Mosaic", inputs);
    const first = inputs[0]!;
    inputs.forEach((input, k) => {
      if (
        input.bands.length !== first.bands.length ||
        input.bands.some(
          (band, n) => band.role !== first.bands[n]!.role || band.name !== first.bands[n]!.name,
        )
      ) {
        throw new InputError(
          `Frame ${k + 1} of the mosaic has other bands than the first`,
          "inputs",
          "Import the same bands of every frame.",
        );
      }
    });
    if (params.anchor >= inputs.length) {
      throw new InputError(`There is no frame ${params.anchor + 1}`, "anchor");
    }
    if (!first.bands.some(isLight)) {
      throw new InputError("Mosaic needs the bands of optical scenes", "inputs");
    }
    return first;
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const blocks = await Promise.all(ctx.base.map((_b, k) => ask.read(k, strip)));
      const light = lightOf(ctx.base[0]!);
      const pairs = pairsOf(ctx.base.length);
      const sums = new Float64Array(pairs.length * light.length * PER);
      pairs.forEach(([params, second], n) =>
        light.forEach((k, j) => {
          const a = floats(blocks[params]!)[k]!;
          const b = floats(blocks[second]!)[k]!;
          const at = (n * light.length + j) * PER;
          for (let i = 0; i < a.length; i++) {
            const x = a[i]!;
            const y = b[i]!;
            if (x - x !== 0 || y - y !== 0) {
              continue;
            }
            sums[at]!++;
            sums[at + 1]! += x;
            sums[at + 2]! += y;
            sums[at + 3]! += x * x;
            sums[at + 4]! += y * y;
            sums[at + 5]! += x * y;
          }
        }),
      );
      return { sums };
    },
    merge: (parts) =>
      parts.reduce((state, b) => ({
        sums: state.sums.map((sum, i) => sum + b.sums[i]!),
      })),
  },
  reach: (w, ctx) => withHalo(w, ctx, featherAt(ctx.params, ctx.level)),
  compute(blocks, out, ctx) {
    const info = ctx.base[0]!;
    const halo = featherAt(ctx.params, ctx.level);
    const w = out.window;
    const width = w.width + 2 * halo;
    const height = w.height + 2 * halo;
    const light = lightOf(info);
    const tones = tonesOf(ctx.state!, ctx.base.length, light.length, ctx.params);
    const depth = blocks.map((block) => {
      const valid = new Uint8Array(width * height).fill(1);
      for (const k of light) {
        const values = floats(block)[k]!;
        for (let i = 0; i < valid.length; i++) {
          if (values[i] !== values[i]) {
            valid[i] = 0;
          }
        }
      }
      return depthInside(valid, width, height, halo);
    });
    const best = new Uint8Array(width * height);
    const total = new Float32Array(width * height);
    depth.forEach((frameDepth, frame) => {
      const top = depth[0]!;
      for (let i = 0; i < frameDepth.length; i++) {
        total[i]! += frameDepth[i]!;
        if (frameDepth[i]! > (best[i] === 0 ? top[i]! : depth[best[i]!]![i]!)) {
          best[i] = frame;
        }
      }
    });
    info.bands.forEach((_b, k) => {
      const dst = floats(out)[k]!;
      const j = light.indexOf(k);
      const sources = blocks.map((block) => floats(block)[k]!);
      for (let r = 0, offset = 0; r < w.height; r++) {
        for (let c = 0, s = (r + halo) * width + halo; c < w.width; c++, s++, offset++) {
          if (j < 0) {
            let value = sources[best[s]!]![s]!;
            for (let frame = 0; value !== value && frame < sources.length; frame++) {
              value = sources[frame]![s]!;
            }
            dst[offset] = value;
            continue;
          }
          let sum = 0;
          for (let frame = 0; frame < sources.length; frame++) {
            const depthHere = depth[frame]![s]!;
            if (depthHere > 0) {
              const tone = tones[frame]![j]!;
              sum += depthHere * (tone.gain * sources[frame]![s]! + tone.offset);
            }
          }
          dst[offset] = total[s] === 0 ? NaN : sum / total[s]!;
        }
      }
    });
  },
  report(ctx): StepReport {
    const info = ctx.base[0]!;
    const light = lightOf(info);
    const frames = ctx.base.length;
    const tones = tonesOf(ctx.state!, frames, light.length, ctx.params);
    const lines: StepReport["lines"] = [];
    const shares = overlapsOf(ctx.state!, frames, light.length, 0);
    const alone = Array.from({ length: frames }, (_v, frame) => frame).filter(
      (frame) => !shares.some((share) => share.n >= 50 && (share.a === frame || share.b === frame)),
    );
    light.forEach((k, j) => {
      const all = overlapsOf(ctx.state!, frames, light.length, j).filter(
        (overlap) => overlap.n >= 50,
      );
      if (!all.length) {
        return;
      }
      const rms = (frame: (overlap: Overlap) => number) =>
        Math.sqrt(
          all.reduce((s, overlap) => s + overlap.n * frame(overlap) ** 2, 0) /
            all.reduce((s, overlap) => s + overlap.n, 0),
        );
      const one = { gain: 1, offset: 0 };
      const before = rms((overlap) => overlapRms(overlap, one, one));
      const after = rms((overlap) =>
        overlapRms(overlap, tones[overlap.a]![j]!, tones[overlap.b]![j]!),
      );
      lines.push({
        name: `Difference in the overlap, ${info.bands[k]!.name}`,
        value: `${before.toFixed(4)} → ${after.toFixed(4)}`,
      });
    });
    return {
      lines,
      warnings: alone.length
        ? [
            `Frame ${alone.map((frame) => frame + 1).join(", ")} shares no ground with another: its level cannot be brought to theirs.`,
          ]
        : [],
    };
  },
};
const featherAt = (params: MosaicParams, level: number): number =>
  Math.max(1, Math.ceil(params.featherCells / 2 ** level));
const pairsOf = (n: number): [number, number][] =>
  Array.from({ length: n }, (_v, a) => a).flatMap((a) =>
    Array.from({ length: n - a - 1 }, (_w, k): [number, number] => [a, a + 1 + k]),
  );
const overlapsOf = (state: MosaicState, frames: number, bands: number, band: number): Overlap[] =>
  pairsOf(frames).map(([a, b], n) => {
    const at = (n * bands + band) * PER;
    const sums = state.sums;
    return {
      a,
      b,
      n: sums[at]!,
      sa: sums[at + 1]!,
      sb: sums[at + 2]!,
      saa: sums[at + 3]!,
      sbb: sums[at + 4]!,
      sab: sums[at + 5]!,
    };
  });
/** Tone by frame, then band. */
function tonesOf(
  state: MosaicState,
  frames: number,
  bands: number,
  params: MosaicParams,
): Tone[][] {
  const per = Array.from({ length: bands }, (_v, j) =>
    params.between ? balance(frames, overlapsOf(state, frames, bands, j), params.anchor) : null,
  );
  return Array.from({ length: frames }, (_v, frame) =>
    per.map((t) => t?.[frame] ?? { gain: 1, offset: 0 }),
  );
}
