import * as yup from "yup";
import { InputError } from "../../errors";
import { FormulaError, evaluateFormula, parseFormula } from "../../formula/formula";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, floats } from "../../graph/steps/common";
import { formulaNames, formulaStep } from "../../graph/steps/formula";
import { INDICES } from "../../optical/indices";
import { bandOfColour } from "../../optical/wavelengths";
import { yes, stepSettings } from "../settings";
import type { OpticalFacts, OpticalStep } from "./family";

const outputs = yup
  .array(
    yup
      .object({
        name: yup.string().trim().min(1).max(60).required(),
        formula: yup.string().max(2000).required(),
      })
      .noUnknown()
      .required(),
  )
  .max(24)
  .required();
/** A band that a formula makes. */
export type Output = yup.InferType<typeof outputs>[number];

/** Indices and formulas as bands of their own, beside those they are made of or alone. */
const indicesStep: Step<{ outputs: Output[]; keep: boolean }> = {
  kind: "optical.indices",
  version: 1,
  title: "Indices",
  help: "Indices, or formulas in ordinary arithmetic over band names, as bands of their own.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({
      outputs: outputs.min(1),
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

const settings = stepSettings({ outputs, keep: yes });

/** Indices that show a hazard, by their ids. */
const SHOWING: Record<string, readonly string[]> = {
  fire: ["nbr", "ndvi"],
  flood: ["mndwi", "ndwi", "ndvi"],
};
const SHOWING_OTHERS = ["ndvi", "evi"];

/** Ready indices that show the hazard and find their bands. */
function proposedOutputs({ hazard, bands }: OpticalFacts): Output[] {
  const wanted = SHOWING[hazard] ?? SHOWING_OTHERS;
  return INDICES.filter(
    (index) =>
      wanted.includes(index.id) && index.needs.every((need) => bandOfColour(bands, need) >= 0),
  ).map(({ name, formula }) => ({ name, formula }));
}

const named = (own: readonly Output[]): string => own.map((output) => output.name).join(", ");

/** Indices and formulas of one's own. */
export const indices: OpticalStep<"indices", yup.InferType<typeof settings>> = {
  key: "indices",
  name: "Indices",
  help: "Indices and formulas of your own, as bands beside the reflectance. Compare takes any of them.",
  settings,
  graph: [formulaStep, indicesStep],
  propose: (facts) => ({ on: true, keep: true, outputs: proposedOutputs(facts) }),
  place(row) {
    const { on: runs, outputs: wanted, keep } = row.settings.indices;
    if (runs && wanted.length > 0) {
      row.put(node("optical.indices", { outputs: wanted, keep }, row.before));
    } else {
      row.skip();
    }
  },
  sentence: (own) => named(own.outputs) || "none",
  shows: ({ own }) => named(own.outputs),
  fields: () => [
    { kind: "formulas", at: "outputs" },
    { kind: "switch", at: "keep", label: "Keep the reflectance bands" },
  ],
};
