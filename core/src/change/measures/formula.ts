import * as yup from "yup";
import { InputError } from "../../errors";
import { nameInFormula, namesOfDates } from "../../formula/datedNames";
import { evaluateFormula, parseFormula } from "../../formula/formula";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, floats } from "../../graph/steps/common";
import { changeBand, requirePair } from "../../graph/steps/pair";
import { realCells } from "../../raster/block";
import { GAIN_COLOR, LOSS_COLOR } from "../colors";
import { unusual } from "../suggestions";
import { type MeasurePart, whenMeasure } from "./measure";

/** A formula over the bands of both dates, before.NAME and after.NAME. */
const twoDateFormulaStep: Step<{ formula: string; names: string[] }> = {
  kind: "change.formula",
  version: 1,
  title: "Formula of two dates",
  help: "Ordinary arithmetic over before.NAME and after.NAME.",
  inputs: { min: 2, max: 2 },
  params: yup
    .object({
      formula: yup.string().max(2000).required(),
      names: yup.array(yup.string().required()).min(1).max(64).required(),
    })
    .noUnknown(),
  describe(inputs, params) {
    const { before } = requirePair("Formula of two dates", inputs);
    if (params.names.length !== before.bands.length) {
      throw new InputError(
        `${params.names.length} names for ${before.bands.length} bands`,
        "names",
      );
    }
    parseFormula(params.formula, namesOfDates(params.names));
    return changeBand(before, "formula", "");
  },
  reach: cellByCell,
  compute([block, a], out, { params }) {
    const names = namesOfDates(params.names);
    const formula = parseFormula(params.formula, names);
    const all = [...floats(block!), ...floats(a!)];
    const dst = realCells(out.bands[0]!);
    evaluateFormula(formula, (name) => all[names.indexOf(name)]!, dst.length, dst);
  },
};

const NAME = "Formula";

/** Arithmetic of one's own over the bands of both dates. */
export const formula: MeasurePart<"formula"> = {
  key: "formula",
  onPower: {
    name: NAME,
    help: "Your own arithmetic over before.NAME and after.NAME; radar bands in dB.",
  },
  onValues: { name: NAME, help: "Your own arithmetic over before.NAME and after.NAME." },
  said: (setup) => setup.formula ?? "",
  rank: () => 13,
  unit: { unit: "", decimals: 3, step: 0.01 },
  graph: [twoDateFormulaStep],
  node({ several }, setup) {
    const { before, after, names } = several("formula");
    const known = namesOfDates(names);
    if (!setup.formula?.trim()) {
      throw new InputError("The formula is empty", "formula", `Names: ${known.join(", ")}`);
    }
    parseFormula(setup.formula, known);
    return node("change.formula", { formula: setup.formula, names }, before, after);
  },
  rules(histogram) {
    const { low, high } = unusual(histogram) ?? { low: -0.1, high: 0.1 };
    return [
      whenMeasure(1, "Low", LOSS_COLOR, "<", low),
      whenMeasure(2, "High", GAIN_COLOR, ">", high),
    ];
  },
  byHistogram: true,
  presets: ["openWater", "water", "gainLoss"],
  begin(setup, bands) {
    const band = bands[setup.band];
    if (!band || setup.formula?.trim()) {
      return {};
    }
    const name = nameInFormula(band);
    return { formula: `after.${name} - before.${name}` };
  },
  fields: [{ kind: "datesFormula", at: "formula", label: "Formula" }],
};
