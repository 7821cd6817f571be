import * as yup from "yup";
import { InputError } from "../../errors";
import {
  decibelQuotient,
  difference,
  indexLoss,
  logRatio,
  relativeChange,
  relativeLoss,
} from "../../change/measures";
import {
  type ClassRule,
  LAYERS,
  type Layer,
  applyRules,
  classRuleSchema,
} from "../../change/rules";
import type { Step } from "../step";
import { cellByCell, none, requireOneGrid, requireRole } from "./common";
import { realCells, labelCells } from "../../raster/block";

export const logRatioStep: Step<Record<string, never>> = {
  kind: "change.logRatio",
  version: 1,
  title: "Log ratio",
  help: "10·log₁₀(after ÷ before) of power, in dB. Below zero means darker after the event.",
  inputs: { min: 2, max: 2 },
  params: none,
  describe(inputs) {
    requireOneGrid("Log ratio", inputs);
    inputs.forEach((input) =>
      requireRole("Log ratio", input, ["power"], "a ratio is taken of power, not of decibels."),
    );
    const [info, a] = inputs as [(typeof inputs)[0], (typeof inputs)[0]];
    if (info.bands.length !== 1 || a.bands.length !== 1) {
      throw new InputError("Log ratio takes one band a date", "inputs");
    }
    if (info.bands[0]!.polarisation !== a.bands[0]!.polarisation) {
      throw new InputError(
        `Before is ${info.bands[0]!.polarisation ?? "of no known polarisation"}, after is ${a.bands[0]!.polarisation ?? "of none"}: a ratio of different polarisations says nothing about change`,
        "inputs",
        "Pick the same polarisation on both dates.",
      );
    }
    return {
      grid: info.grid,
      type: "float32",
      bands: [
        {
          name: "log ratio",
          unit: "dB",
          role: "change",
          polarisation: info.bands[0]!.polarisation,
        },
      ],
    };
  },
  reach: cellByCell,
  compute([block, a], out) {
    logRatio(realCells(block!.bands[0]!), realCells(a!.bands[0]!), realCells(out.bands[0]!));
  },
};

/** A measure that takes one band from another. @param name of the result */
function taking(
  kind: string,
  title: string,
  help: string,
  name: string,
  measure: (b: Float32Array, a: Float32Array, out: Float32Array) => void,
  unit?: string,
): Step<Record<string, never>> {
  return {
    kind,
    version: 1,
    title,
    help,
    inputs: { min: 2, max: 2 },
    params: none,
    describe(inputs) {
      requireOneGrid(title, inputs);
      const [band, a] = inputs.map((input) => {
        if (input.bands.length !== 1 || input.type !== "float32") {
          throw new InputError(`${title} takes one real-valued band a date`, "inputs");
        }
        return input.bands[0]!;
      }) as [(typeof inputs)[0]["bands"][0], (typeof inputs)[0]["bands"][0]];
      if (band.unit !== a.unit || band.role !== a.role) {
        throw new InputError(
          `Before is in ${band.unit || band.role}, after in ${a.unit || a.role}: they cannot be subtracted`,
          "inputs",
        );
      }
      return {
        grid: inputs[0]!.grid,
        type: "float32",
        bands: [{ name, unit: unit ?? band.unit, role: "change", polarisation: band.polarisation }],
      };
    },
    reach: cellByCell,
    compute([block, a], out) {
      measure(realCells(block!.bands[0]!), realCells(a!.bands[0]!), realCells(out.bands[0]!));
    },
  };
}
export const differenceStep = taking(
  "change.difference",
  "Difference",
  "After − before, in the unit of the layers.",
  "difference",
  difference,
);
export const indexLossStep = taking(
  "change.indexLoss",
  "Index loss",
  "Before − after: dNBR by its convention, above zero where something burned.",
  "loss",
  indexLoss,
);
export const relativeLossStep = taking(
  "change.relativeLoss",
  "Relative index loss",
  "(Before − after) ÷ √|before|: RdNBR for NBR, so that sparse ground counts as much as dense.",
  "relative loss",
  relativeLoss,
);

export const relativeChangeStep = taking(
  "change.relativeChange",
  "Relative change",
  "(After − before) ÷ |before|, in per cent of what was there.",
  "relative change",
  relativeChange,
  "%",
);
const quotient = taking(
  "change.decibelQuotient",
  "Quotient of decibels",
  "After ÷ before of decibel values. Depends on the reference level of the decibels and is not defined near 0 dB.",
  "quotient",
  decibelQuotient,
  "",
);
export const decibelQuotientStep: typeof quotient = {
  ...quotient,
  describe(inputs, params) {
    inputs.forEach((input) =>
      requireRole("Quotient of decibels", input, ["decibel"], "it is taken of decibels."),
    );
    return quotient.describe(inputs, params);
  },
};

/** Classes by rule over a stack whose bands are named before, after, measure, slope, elevation. */
export const classesStep: Step<{ rules: ClassRule[] }> = {
  kind: "change.classes",
  version: 1,
  title: "Classes by rule",
  help: "A cell takes the first class all of whose conditions hold.",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({ rules: yup.array(classRuleSchema).min(1).max(64).required() })
    .noUnknown() as yup.ObjectSchema<{ rules: ClassRule[] }>,
  describe([stack], params) {
    const names = stack!.bands.map((band) => band.name);
    for (const rule of params.rules) {
      for (const condition of rule.all) {
        if (!names.includes(condition.layer)) {
          throw new InputError(
            `The rule "${rule.name}" asks for ${condition.layer}, which this study has not`,
            "rules",
            condition.layer === "slope" || condition.layer === "elevation"
              ? "Add a scene of kind elevation."
              : undefined,
          );
        }
      }
    }
    if (new Set(params.rules.map((rule) => rule.label)).size !== params.rules.length) {
      throw new InputError("Two classes have the same label", "rules");
    }
    return {
      grid: stack!.grid,
      type: "class8",
      bands: [{ name: "change", unit: "", role: "classes" }],
      classes: params.rules.map((rule) => ({
        label: rule.label,
        name: rule.name,
        color: rule.color,
      })),
    };
  },
  reach: cellByCell,
  compute([stack], out, { params, base }) {
    const layers: Partial<Record<Layer, Float32Array>> = {};
    base[0]!.bands.forEach((band, i) => {
      if ((LAYERS as readonly string[]).includes(band.name)) {
        layers[band.name as Layer] = realCells(stack!.bands[i]!);
      }
    });
    applyRules(layers, params.rules, ["before", "after", "measure"], labelCells(out.bands[0]!));
  },
};
