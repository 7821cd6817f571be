import { type Measure, MEASURES } from "@hindglance/core/change/measures/all";
import type { Comparing } from "@hindglance/core/change/comparing";
import { type Limits, limitsSchema } from "@hindglance/core/change/limits/all";
import { type ClassRule, rulesSchema } from "@hindglance/core/change/rules";
import { type MeasureSettings, measureSettingsSchema } from "@hindglance/core/change/setup";
import * as yup from "yup";
import { route } from "./route";
import { type Of, list, ofCore, shape, text, textOrNull, uuid } from "./shapes";

const comparing = yup
  .string()
  .oneOf(["power", "value"] satisfies Comparing[])
  .required();
const measure = yup.string<Measure>().oneOf(MEASURES).required();
const name = yup.string().trim().min(1).max(60).required();

const savedPreset = shape({
  id: uuid,
  name: text,
  comparing,
  unit: text,
  measure,
  formula: textOrNull,
  own: ofCore<MeasureSettings>(),
  rules: ofCore<ClassRule[]>(),
  limits: ofCore<Limits>(),
});
/** Rules and limits that were saved to begin other comparisons with. Kept for all studies. */
export type SavedPreset = Of<typeof savedPreset>;

/** Routes of presets, which serve all studies. */
export const presetRoutes = {
  list: route({ method: "GET", path: "/presets", answer: list(savedPreset) }),
  create: route({
    method: "POST",
    path: "/presets",
    body: shape({
      name,
      comparing,
      unit: yup.string().max(20).defined(),
      measure,
      formula: yup.string().max(2000).nullable().defined(),
      own: measureSettingsSchema,
      rules: rulesSchema,
      limits: limitsSchema,
    }),
    answer: savedPreset,
  }),
  remove: route({ method: "DELETE", path: "/presets/:id" }),
};
