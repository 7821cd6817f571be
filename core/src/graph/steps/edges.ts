import { TEXTURE_HALO, texture } from "../../align/texture";
import { InputError } from "../../errors";
import type { Step } from "../step";
import { floats, none, withHalo } from "./common";

const HALO = 1 + TEXTURE_HALO;
/**
 * How steeply one band rises, by Sobel's operator, in the band's unit a cell; of radar power in dB
 * a cell over means of 3 x 3. For laying edges over edges. NaN beside nodata.
 */
export const edgesStep: Step<Record<string, never>> = {
  kind: "align.edges",
  version: 1,
  title: "Edges",
  help: "How steeply the picture rises: edges of fields, roads and shores.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (info!.bands.length !== 1 || info!.type !== "float32") {
      throw new InputError("Edges are looked for in one band of values", "inputs");
    }
    return { ...info!, bands: [{ name: "edges", unit: info!.bands[0]!.unit, role: "value" }] };
  },
  reach: (w, ctx) => withHalo(w, ctx, HALO),
  compute([block], out, ctx) {
    const { width, height } = out.window;
    const columns = width + 2;
    const t = texture(floats(block!)[0]!, columns, height + 2, ctx.base[0]!.bands[0]!.role);
    const dst = floats(out)[0]!;
    for (let r = 0, i = 0; r < height; r++) {
      for (let c = 0; c < width; c++, i++) {
        const m = (r + 1) * columns + c + 1;
        const up = m - columns;
        const down = m + columns;
        dst[i] =
          Math.hypot(
            t[up + 1]! + 2 * t[m + 1]! + t[down + 1]! - t[up - 1]! - 2 * t[m - 1]! - t[down - 1]!,
            t[down - 1]! + 2 * t[down]! + t[down + 1]! - t[up - 1]! - 2 * t[up]! - t[up + 1]!,
          ) / 8;
      }
    }
  },
};
