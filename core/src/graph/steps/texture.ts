import * as yup from "yup";
import {
  TEXTURES,
  type Texture,
  cooccurrence,
  greyLevels,
  isCooccurrence,
  localFigure,
} from "../../classify/texture";
import { InputError } from "../../errors";
import { realCells } from "../../raster/block";
import type { Step, StepState } from "../step";
import { withHalo } from "./common";
import { strideFor } from "../strideFor";

interface Params {
  texture: Texture;
  windowCells: number;
}

/** Ends of the values that grey levels are counted between. */
interface Ends extends StepState {
  lo: number;
  hi: number;
}

/** Cells that the ends are found from, and the share that lies beyond each. */
const SAMPLE = 100_000;
const BEYOND = 0.01;

/** Values at two shares of a sample; both nought where there is none. */
function endsOf(values: Float64Array): Ends {
  const sorted = Float64Array.from(values).sort();
  const at = (share: number) => sorted[Math.round(share * (sorted.length - 1))] ?? 0;
  return { lo: at(BEYOND), hi: at(1 - BEYOND) };
}

const UNIT_OF_BAND = new Set<Texture>(["mean", "deviation"]);

/** Texture of one real-valued band around each cell; nodata where the cell itself is. */
export const textureStep: Step<Params, Ends, { values: Float64Array }> = {
  kind: "classify.texture",
  version: 1,
  title: "Texture",
  help: "Mean, spread or co-occurrence of grey levels in a window around each cell.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      texture: yup.string().oneOf(TEXTURES).required(),
      windowCells: yup.number().oneOf([3, 5, 7, 9, 11, 15, 21]).required(),
    })
    .noUnknown(),
  overview: true,
  gathers: [],
  describe([info], { texture, windowCells }) {
    const band = info!.bands[0];
    if (info!.type !== "float32" || info!.bands.length !== 1 || !band) {
      throw new InputError("Texture is taken of one real-valued band", "inputs");
    }
    return {
      grid: info!.grid,
      type: "float32",
      bands: [
        {
          name: `${band.name} ${texture} ${windowCells}`,
          unit: UNIT_OF_BAND.has(texture) ? band.unit : "",
          role: "value",
        },
      ],
    };
  },
  gather: {
    async strip(ask, window, ctx) {
      const cells = realCells((await ask.read(0, window)).bands[0]!);
      const every = strideFor(ctx.base[0]!, ctx.level, SAMPLE);
      return {
        values: Float64Array.from(
          cells.filter((value, i) => i % every === 0 && !Number.isNaN(value)),
        ),
      };
    },
    merge(parts) {
      const all = new Float64Array(parts.reduce((sum, { values }) => sum + values.length, 0));
      parts.reduce((at, { values }) => {
        all.set(values, at);
        return at + values.length;
      }, 0);
      return endsOf(all);
    },
  },
  reach: (window, ctx) => withHalo(window, ctx, (ctx.params.windowCells - 1) / 2),
  compute([block], out, { params: { texture, windowCells }, state }) {
    const size = { width: out.window.width, height: out.window.height, windowCells };
    const src = realCells(block!.bands[0]!);
    const to = realCells(out.bands[0]!);
    if (isCooccurrence(texture)) {
      cooccurrence(greyLevels(src, state!.lo, state!.hi), size, texture, to);
    } else {
      localFigure(src, size, texture === "mean" ? "mean" : "deviation", to);
    }
  },
};
