import * as yup from "yup";
import type { BandLevel } from "../../align/alignment";
import { InputError } from "../../errors";
import type { Step } from "../step";
import { cellByCell, finite, floats } from "./common";

/**
 * Bands brought to the radiometric level of another date: value · multiply + add. Bands that are
 * not named pass.
 */
export const levelStep: Step<{ bands: BandLevel[] }> = {
  kind: "align.level",
  version: 1,
  title: "Level",
  help: "Brings the numbers of a date to the level of another one, band by band, by a slope and an offset.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      bands: yup
        .array(
          yup
            .object({ band: yup.string().required(), multiply: finite(), add: finite() })
            .noUnknown()
            .required(),
        )
        .min(1)
        .required(),
    })
    .noUnknown(),
  describe([a], p) {
    const lack = p.bands.find((b) => !a!.bands.some((x) => x.name === b.band));
    if (lack) {
      throw new InputError(`There is no band ${lack.band} to level`, "bands");
    }
    return a!;
  },
  reach: cellByCell,
  compute([a], out, ctx) {
    ctx.base[0]!.bands.forEach((b, k) => {
      const src = floats(a!)[k]!;
      const dst = floats(out)[k]!;
      const l = ctx.params.bands.find((x) => x.band === b.name);
      if (!l) {
        dst.set(src);
        return;
      }
      for (let i = 0; i < src.length; i++) {
        dst[i] = src[i]! * l.multiply + l.add;
      }
    });
  },
};
