import * as yup from "yup";
import { type NodeSpec, node } from "../../graph/node";
import { surfaceStep } from "../../graph/steps/surface";
import { stepSettings } from "../settings";
import type { OpticalRow, OpticalStep } from "./family";
import { hasQuality, isSurface } from "./scene";

const METHODS = [
  { value: "darkObject", name: "Dark object" },
  { value: "cost", name: "COST" },
  { value: "empirical", name: "Empirical" },
] as const;
type Method = (typeof METHODS)[number]["value"];
const SAID: Record<Method, { cell: string; note: string }> = {
  darkObject: {
    cell: "dark object",
    note: "The darkest ground of a band is taken to reflect 1 %; what it shows beyond that is the light of the air (Chavez 1988).",
  },
  cost: {
    cell: "COST",
    note: "Dark object, and the light lost on its way down by the height of the sun, under 1.3 µm (Chavez 1996).",
  },
  empirical: {
    cell: "empirical",
    note: "Baseline by the darkest material, gain by the mean of the scene's most unlike materials. Needs three bands, diverse ground and even light.",
  },
};
const settings = stepSettings({
  method: yup
    .string()
    .oneOf(METHODS.map((method) => method.value))
    .required(),
});

/** Water leaves after Surface, which finds its darkest ground there. */
function withoutWater({ scene, settings: { mask } }: OpticalRow, output: NodeSpec): NodeSpec {
  return mask.on && mask.water && hasQuality(scene.info)
    ? node(
        "optical.mask",
        { cloud: false, shadow: false, cirrus: false, snow: false, water: true, growCells: 0 },
        output,
      )
    : output;
}

/** Reflectance of the ground. */
export const surface: OpticalStep<"surface", yup.InferType<typeof settings>> = {
  key: "surface",
  name: "Surface",
  help: "Reflectance of the ground: the light that the air adds is taken off, so that dates can be compared.",
  settings,
  graph: [surfaceStep],
  propose: () => ({ on: true, method: "darkObject" }),
  place(row) {
    const own = row.settings.surface;
    if (isSurface(row.scene.info)) {
      row.skip();
    } else if (!own.on) {
      row.skip(["The light of the air stays in: dates differ by it."]);
    } else {
      const off = node("optical.surface", { method: own.method }, row.before);
      row.put(
        withoutWater(row, off),
        row.settings.mask.on
          ? []
          : ["Mask is skipped: borders and cloud go into what is taken from the whole scene."],
        [off],
      );
    }
  },
  sentence: (own) => METHODS.find((method) => method.value === own.method)!.name,
  shows: ({ own }) => SAID[own.method].cell,
  fields: (own) => [
    { kind: "choice", at: "method", label: "Method", options: METHODS, whole: true },
    { kind: "note", text: SAID[own.method].note },
  ],
};
