import * as yup from "yup";
import { InputError } from "../../errors";
import { type Formula, evaluateFormula, parseFormula } from "../../formula/formula";
import { colourOf } from "../../optical/wavelengths";
import type { ImageInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, floats } from "./common";

/**
 * Names under which a formula finds the bands of an image: its colours, and the bands' own names
 * made of letters and digits.
 */
export function formulaNames(info: ImageInfo): Map<string, number> {
  const out = new Map<string, number>();
  info.bands.forEach((band, k) => {
    const c = colourOf(band);
    if (c && band.role !== "quality" && !out.has(c)) {
      out.set(c, k);
    }
  });
  info.bands.forEach((band, k) => {
    const n = band.name.replace(/\W+/g, "_").replace(/^(\d)/, "B$1");
    if (!out.has(n)) {
      out.set(n, k);
    }
  });
  return out;
}

/** An index or any formula over the bands of one image. */
export const formulaStep: Step<{ formula: string; name: string }> = {
  kind: "optical.formula",
  version: 1,
  title: "Index",
  help: "An index, or a formula in ordinary arithmetic over band names, cell by cell.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({ formula: yup.string().max(2000).required(), name: yup.string().max(60).required() })
    .noUnknown(),
  describe([info], params) {
    const names = formulaNames(info!);
    const formula = parseFormula(params.formula, [...names.keys()]);
    const raw = formula.uses.find(
      (use) =>
        info!.bands[names.get(use)!]!.role === "dn" ||
        info!.bands[names.get(use)!]!.role === "thermal",
    );
    if (raw) {
      throw new InputError(
        `${raw} holds digital numbers: their ratios depend on the sun and the instrument`,
        "formula",
        "Use Reflectance before it.",
      );
    }
    return { ...info!, type: "float32", bands: [{ name: params.name, unit: "", role: "value" }] };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const names = formulaNames(ctx.base[0]!);
    const formula: Formula = parseFormula(ctx.params.formula, [...names.keys()]);
    evaluateFormula(
      formula,
      (n) => floats(block!)[names.get(n)!]!,
      out.window.width * out.window.height,
      floats(out)[0]!,
    );
  },
};
