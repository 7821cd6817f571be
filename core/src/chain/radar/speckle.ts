import { WINDOW } from "../commonFields";
import * as yup from "yup";
import { type NodeSpec, node } from "../../graph/node";
import {
  gammaMapStep,
  leeStep,
  meanStep,
  medianStep,
  refinedLeeStep,
} from "../../graph/steps/speckle";

import { windowCells, stepSettings } from "../settings";
import type { RadarStep } from "./family";
import type { Field } from "../../form/fields";

const FILTERS = [
  { value: "mean", name: "Mean" },
  { value: "median", name: "Median" },
  { value: "lee", name: "Lee" },
  { value: "refinedLee", name: "Refined Lee" },
  { value: "gammaMap", name: "Gamma MAP" },
] as const;
const settings = stepSettings({
  filter: yup
    .string()
    .oneOf(FILTERS.map((filter) => filter.value))
    .required(),
  windowCells,
  looks: yup.number().min(0.5).max(1000).required(),
});
type SpeckleSettings = yup.InferType<typeof settings>;
/** Refined Lee has a window of its own. */
const REFINED_LEE_CELLS = 7;

/** Each filter is a step of the graph, with the parameters that it takes. */
function filtered(own: SpeckleSettings, input: NodeSpec): NodeSpec {
  const { filter, windowCells: cells, looks } = own;
  switch (filter) {
    case "refinedLee":
      return node("radar.refinedLee", { looks }, input);
    case "lee":
    case "gammaMap":
      return node(`radar.${filter}`, { windowCells: cells, looks }, input);
    case "mean":
    case "median":
      return node(`radar.${filter}`, { windowCells: cells }, input);
  }
}

const LOOKS: Field = {
  kind: "number",
  at: "looks",
  label: "Equivalent looks",
  step: 0.5,
  measured: "looks",
};

/** Smooths the grain of radar images. */
export const speckle: RadarStep<"speckle", SpeckleSettings> = {
  key: "speckle",
  name: "Speckle",
  help: "Smooths the grain of radar images. Compare has a filter of its own; use this one for pictures and time plots.",
  settings,
  graph: [leeStep, refinedLeeStep, meanStep, medianStep, gammaMapStep],
  propose: ({ looks }) => ({
    on: false,
    filter: "refinedLee",
    windowCells: REFINED_LEE_CELLS,
    looks: Math.round(looks * 10) / 10,
  }),
  place(row) {
    const own = row.settings.speckle;
    if (own.on) {
      row.put(filtered(own, row.before));
    } else {
      row.skip();
    }
  },
  sentence(own) {
    const { name } = FILTERS.find((filter) => filter.value === own.filter)!;
    return own.filter === "refinedLee" ? name : `${name} ${own.windowCells}`;
  },
  shows({ own }) {
    const cells = own.filter === "refinedLee" ? REFINED_LEE_CELLS : own.windowCells;
    return `${cells} x ${cells}`;
  },
  fields: (own) => [
    { kind: "pick", at: "filter", label: "Filter", options: FILTERS },
    ...(own.filter === "refinedLee" ? [] : [WINDOW]),
    ...(own.filter === "mean" || own.filter === "median" ? [] : [LOOKS]),
  ],
};
