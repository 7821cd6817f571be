import * as yup from "yup";
import {
  type ClassRule,
  LAYERS,
  type Layer,
  applyRules,
  classRuleSchema,
} from "../../change/rules";
import { InputError } from "../../errors";
import { labelCells, realCells } from "../../raster/block";
import type { Step } from "../step";
import { cellByCell } from "./common";

/** Classes by rule over a stack whose bands are named before, after, measure, slope, elevation. */
export const classesStep: Step<{ rules: ClassRule[] }> = {
  kind: "change.classes",
  version: 2,
  title: "Classes by rule",
  help: "A cell takes the first class all of whose conditions hold.",
  inputs: { min: 1, max: 1 },
  params: yup.object({ rules: yup.array(classRuleSchema).max(64).required() }).noUnknown(),
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
      const layer = LAYERS.find((name) => name === band.name);
      if (layer) {
        layers[layer] = realCells(stack!.bands[i]!);
      }
    });
    applyRules(layers, params.rules, ["before", "after", "measure"], labelCells(out.bands[0]!));
  },
};
