import * as yup from "yup";
import { type BandLevel, bandLevelSchema } from "../../align/alignment";
import { onCurve } from "../../align/curve";
import { InputError } from "../../errors";
import type { Step } from "../step";
import { cellByCell, floats } from "./common";

/**
 * Bands brought to the radiometric level of another date: value · multiply + add. Bands that are
 * not named pass.
 */
export const levelStep: Step<{ bands: BandLevel[] }> = {
  kind: "align.level",
  version: 1,
  title: "Level",
  help: "Brings the numbers of a date to the level of another one, band by band, by a slope and an offset, or along a curve.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      bands: yup.array(bandLevelSchema).min(1).required(),
    })
    .noUnknown(),
  describe([info], params) {
    const lack = params.bands.find((band) => !info!.bands.some((x) => x.name === band.band));
    if (lack) {
      throw new InputError(`There is no band ${lack.band} to level`, "bands");
    }
    return info!;
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    ctx.base[0]!.bands.forEach((band, k) => {
      const src = floats(block!)[k]!;
      const dst = floats(out)[k]!;
      const bandLevel = ctx.params.bands.find((x) => x.band === band.name);
      if (!bandLevel) {
        dst.set(src);
        return;
      }
      const { curve, multiply, add } = bandLevel;
      for (let i = 0; i < src.length; i++) {
        dst[i] = curve ? onCurve(curve, src[i]!) : src[i]! * multiply + add;
      }
    });
  },
};
