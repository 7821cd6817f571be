import * as yup from "yup";
import { InputError } from "../../errors";
import {
  brightCloud,
  dilate,
  maskByQuality,
  opened,
  qualityMask,
  type QualityName,
} from "../../optical/quality";
import { bandOfColour } from "../../optical/wavelengths";
import type { Window } from "../../grid/grid";
import type { ImageInfo } from "../image";
import type { Step } from "../step";
import { cutHalo, floats, isLight, withHalo } from "./common";

export interface MaskParams {
  cloud: boolean;
  shadow: boolean;
  cirrus: boolean;
  snow: boolean;
  water: boolean;
  growCells: number;
  /** So many cells along the edge of the frame are taken out too. */ borderCells?: number;
}
/**
 * Bands of light become nodata where the quality band, or brightness where there is none, says that
 * the ground is not seen.
 */
export const opticalMaskStep: Step<MaskParams> = {
  kind: "optical.mask",
  version: 1,
  title: "Mask",
  help: "Fill, cloud, shadow and what else is chosen become nodata: by the quality band, by brightness where there is none.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      cloud: yup.boolean().required(),
      shadow: yup.boolean().required(),
      cirrus: yup.boolean().required(),
      snow: yup.boolean().required(),
      water: yup.boolean().required(),
      growCells: yup.number().integer().min(0).max(32).required(),
      borderCells: yup.number().integer().min(0).max(64).optional(),
    })
    .noUnknown(),
  describe([info], params) {
    if (!info!.bands.some(isLight)) {
      throw new InputError("Mask needs the bands of an optical scene", "inputs");
    }
    const quality = info!.bands.some((band) => band.role === "quality");
    const more = (["shadow", "cirrus", "snow", "water"] as const).find((k) => params[k]);
    if (!quality && more) {
      throw new InputError(
        `Without a quality band ${more} cannot be told`,
        more,
        "Only bright cloud can be found by brightness.",
      );
    }
    if (
      !quality &&
      params.cloud &&
      (["blue", "green", "red"] as const).some((c) => bandOfColour(info!.bands, c) < 0)
    ) {
      throw new InputError(
        "Cloud is found by brightness in blue, green and red, and the scene lacks one of them",
        "cloud",
      );
    }
    if (!quality && params.cloud && info!.bands.some((band) => band.role === "dn")) {
      throw new InputError(
        "Without a quality band cloud is found on reflectance, not on digital numbers",
        "cloud",
        "Use Reflectance before Mask.",
      );
    }
    return info!;
  },
  reach: (w, ctx) => withHalo(w, ctx, haloOf(ctx.params, ctx.level)),
  compute([block], out, ctx) {
    const around = surroundings(out.window, haloOf(ctx.params, ctx.level));
    const info = ctx.base[0]!;
    const src = floats(block!);
    const { masked, fill } = unseen(info, src, ctx.params);
    const gone = widened(masked, around, scaled(ctx.params.growCells, ctx.level));
    const edge = frameEdge(info, src, fill, around, ctx.params.borderCells ?? 0, ctx.level);
    const taken = takenCells(around, gone, edge, fill);
    info.bands.forEach((band, k) => {
      const dst = floats(out)[k]!;
      cutHalo(src[k]!, around.width, around.halo, out.window, dst);
      if (isLight(band) || band.role === "thermal" || band.role === "temperature") {
        taken.forEach((cell) => {
          dst[cell] = NaN;
        });
      }
    });
  },
};

/** A window and the cells around it. */
interface Surroundings {
  halo: number;
  width: number;
  height: number;
  within: { width: number; height: number };
}
const surroundings = (within: Window, halo: number): Surroundings => ({
  halo,
  width: within.width + 2 * halo,
  height: within.height + 2 * halo,
  within,
});

const qualityAt = (info: ImageInfo): number =>
  info.bands.findIndex((band) => band.role === "quality");

/** What is not to be seen, and what the frame does not hold: by quality bits, or by brightness. */
function unseen(
  info: ImageInfo,
  src: readonly Float32Array[],
  params: MaskParams,
): { masked: Uint8Array; fill: Uint8Array } {
  const masked = new Uint8Array(src[0]!.length);
  const fill = new Uint8Array(src[0]!.length);
  const quality = src[qualityAt(info)];
  if (quality) {
    maskByQuality(quality, qualityMask(qualityNames(params)), masked);
    maskByQuality(quality, qualityMask(["fill"]), fill);
  } else if (params.cloud) {
    brightCloud(
      src[bandOfColour(info.bands, "blue")]!,
      src[bandOfColour(info.bands, "green")]!,
      src[bandOfColour(info.bands, "red")]!,
      src[info.bands.findIndex((band) => band.role === "temperature")] ?? null,
      masked,
    );
  }
  return { masked, fill };
}

const qualityNames = (params: MaskParams): QualityName[] => [
  ...(params.cloud ? (["cloud", "dilatedCloud"] as const) : []),
  ...(["shadow", "cirrus", "snow", "water"] as const).filter((name) => params[name]),
];

/**
 * Cells along the edge of the frame. Thin lines without cells are scan gaps, not the edge: only what
 * a wider square of fill covers counts. Null where none are taken out.
 */
function frameEdge(
  info: ImageInfo,
  src: readonly Float32Array[],
  fill: Uint8Array,
  around: Surroundings,
  borderCells: number,
  level: number,
): Uint8Array | null {
  if (borderCells === 0) {
    return null;
  }
  const first = src[info.bands.findIndex(isLight)]!;
  const byValue = qualityAt(info) < 0;
  const outside = fill.map((none, i) => (none || (byValue && first[i] !== first[i]) ? 1 : 0));
  return widened(
    opened(outside, around.width, around.height, OPEN_HALF),
    around,
    scaled(borderCells, level),
  );
}

/** Positions, within the window, of cells that become nodata. */
function takenCells(
  { halo, width, within }: Surroundings,
  gone: Uint8Array,
  edge: Uint8Array | null,
  fill: Uint8Array,
): Uint32Array {
  const taken = new Uint32Array(gone.length);
  let many = 0;
  for (let row = 0, i = 0; row < within.height; row++) {
    for (let column = 0, k = (row + halo) * width + halo; column < within.width; column++) {
      if (gone[i] || edge?.[i] || fill[k]) {
        taken[many++] = i;
      }
      i++;
      k++;
    }
  }
  return taken.subarray(0, many);
}

const scaled = (cells: number, level: number): number => Math.ceil(cells / 2 ** level);
/** Gaps up to 2·half + 1 cells wide are no edge. */
const OPEN_HALF = 8;
const haloOf = (params: MaskParams, level: number): number =>
  Math.max(
    scaled(params.growCells, level),
    params.borderCells ? scaled(params.borderCells, level) + 2 * OPEN_HALF : 0,
  );
/** A mask widened by some cells, less the halo around it. */
function widened(
  src: Uint8Array,
  { halo, width, within }: Surroundings,
  cells: number,
): Uint8Array {
  const { width: w, height: h } = within;
  const cut = new Uint8Array((w + 2 * cells) * (h + 2 * cells));
  for (let row = 0; row < h + 2 * cells; row++) {
    const start = (row + halo - cells) * width + halo - cells;
    cut.set(src.subarray(start, start + w + 2 * cells), row * (w + 2 * cells));
  }
  const out = new Uint8Array(w * h);
  dilate(cut, w, h, cells, out);
  return out;
}
