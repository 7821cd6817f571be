import * as yup from "yup";
import { InputError } from "../../errors";
import { FormulaError, parseFormula, evaluateFormula, type Formula } from "../../formula/formula";
import { brightnessTemperature } from "../../optical/temperature";
import { colourOf } from "../../optical/wavelengths";
import type { BandInfo, ImageInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, floats, none } from "./common";

/**
 * Digital numbers to reflectance, thermal numbers to brightness temperature; other bands pass.
 * Level 1: (M·Q + A)/sin(sun elevation) at the top of the atmosphere; level 2, and level 1 that is
 * by the sun already: scale and offset.
 */
export const reflectanceStep: Step<Record<string, never>> = {
  kind: "optical.reflectance",
  version: 1,
  title: "Reflectance",
  help: "Digital numbers to reflectance by the gains of the metadata and the height of the sun.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    const dn = info!.bands.filter((band) => band.role === "dn");
    if (dn.length === 0) {
      throw new InputError("Reflectance needs the digital numbers of an optical scene", "inputs");
    }
    const without = dn.find((band) => !band.gain);
    if (without) {
      throw new InputError(
        `Band ${without.name} has no gain: its metadata are missing`,
        "inputs",
        "Add the metadata text that came with the bands.",
      );
    }
    const needsSun = info!.optical?.level !== 2 && !info!.optical?.bySun;
    if (needsSun && info!.optical?.sunElevationDeg == null) {
      throw new InputError("The metadata do not say how high the sun stood", "inputs");
    }
    if (needsSun && !(info!.optical!.sunElevationDeg! > 0)) {
      throw new InputError(
        `The sun stood ${info!.optical!.sunElevationDeg}° high: there is no reflected light`,
        "inputs",
      );
    }
    return {
      ...info!,
      bands: info!.bands.map((band) => {
        if (band.role === "dn") {
          return reflective(band);
        }
        if (band.role === "thermal") {
          return inKelvin(band);
        }
        return band;
      }),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const { optical, bands } = ctx.base[0]!;
    const sun =
      optical!.level === 1 && !optical!.bySun
        ? Math.sin((optical!.sunElevationDeg! * Math.PI) / 180)
        : 1;
    bands.forEach((band, k) => {
      const src = floats(block!)[k]!;
      const dst = floats(out)[k]!;
      if (band.role === "thermal") {
        brightnessTemperature(src, band.gain!, band.planck ?? null, dst);
        return;
      }
      if (band.role !== "dn") {
        dst.set(src);
        return;
      }
      const m = band.gain!.multiply / sun;
      const c = band.gain!.add / sun;
      for (let i = 0; i < src.length; i++) {
        dst[i] = src[i]! * m + c;
      }
    });
  },
};
const inKelvin = ({ gain: _gain, planck: _planck, ...b }: BandInfo): BandInfo => ({
  ...b,
  role: "temperature",
  unit: "K",
});
const reflective = ({ gain: _gain, ...b }: BandInfo): BandInfo => ({
  ...b,
  role: "reflectance",
  unit: "",
});

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

export interface Output {
  name: string;
  formula: string;
}
/** Indices and formulas as bands of their own, beside those they are made of or alone. */
export const indicesStep: Step<{ outputs: Output[]; keep: boolean }> = {
  kind: "optical.indices",
  version: 1,
  title: "Indices",
  help: "Indices, or formulas in ordinary arithmetic over band names, as bands of their own.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      outputs: yup
        .array(
          yup
            .object({
              name: yup.string().trim().min(1).max(60).required(),
              formula: yup.string().max(2000).required(),
            })
            .noUnknown()
            .required(),
        )
        .min(1)
        .max(24)
        .required(),
      keep: yup.boolean().required(),
    })
    .noUnknown(),
  describe([info], params) {
    const twice = params.outputs.find(
      (output, k) =>
        params.outputs.some((x, j) => j < k && x.name === output.name) ||
        (params.keep && info!.bands.some((band) => band.name === output.name)),
    );
    if (twice) {
      throw new InputError(
        `There are two bands called ${twice.name}`,
        "outputs",
        "Give one of them another name.",
      );
    }
    const made = params.outputs.map((output) => {
      try {
        return formulaStep.describe([info!], output).bands[0]!;
      } catch (error) {
        if (error instanceof FormulaError) {
          throw new FormulaError(
            `${output.name}: ${error.message}`,
            error.at,
            error.length,
            error.hint,
          );
        }
        if (error instanceof InputError) {
          throw new InputError(`${output.name}: ${error.message}`, error.field, error.hint);
        }
        throw error;
      }
    });
    return { ...info!, bands: [...(params.keep ? info!.bands : []), ...made] };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const first = ctx.params.keep ? ctx.base[0]!.bands.length : 0;
    const names = formulaNames(ctx.base[0]!);
    const n = out.window.width * out.window.height;
    for (let k = 0; k < first; k++) {
      floats(out)[k]!.set(floats(block!)[k]!);
    }
    ctx.params.outputs.forEach((output, k) =>
      evaluateFormula(
        parseFormula(output.formula, [...names.keys()]),
        (name) => floats(block!)[names.get(name)!]!,
        n,
        floats(out)[first + k]!,
      ),
    );
  },
};
