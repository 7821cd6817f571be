import * as yup from "yup";
import { node } from "../../graph/node";
import { hazeStep } from "../../graph/steps/haze";
import { hazeLevelsStep } from "../../graph/steps/hazeLevels";
import { hazeMapStep } from "../../graph/steps/hazeMap";
import { stepSettings } from "../settings";
import type { OpticalStep } from "./family";
import { isSurface } from "./scene";

const settings = stepSettings({
  /** Share of the haze that is taken off. */
  strength: yup.number().min(0.1).max(1.5).required(),
});

/** Takes haze off by its level. */
export const haze: OpticalStep<"haze", yup.InferType<typeof settings>> = {
  key: "haze",
  name: "Haze",
  help: "Finds how hazy the air is over each cell, over land and water apart, and takes the haze off by its level. Clear cells stay as they are.",
  settings,
  graph: [hazeMapStep, hazeStep, hazeLevelsStep],
  propose: () => ({ on: false, strength: 1 }),
  place(row) {
    const own = row.settings.haze;
    if (!own.on) {
      row.skip();
    } else if (isSurface(row.scene.info)) {
      row.skip(["These numbers are surface reflectance already."]);
    } else {
      const map = node("optical.hazeMap", {}, row.before);
      const off = node("optical.haze", { strength: own.strength }, map);
      row.put(off, [], [map, off]);
    }
  },
  sentence: (own) =>
    own.strength === 1 ? "by level" : `by level, ${Math.round(own.strength * 100)} %`,
  shows: () => "by level",
  fields: () => [
    {
      kind: "number",
      at: "strength",
      label: "Taken off, percent",
      name: "Share of the haze taken off",
      step: 10,
      percent: true,
    },
  ],
  picture: (output, info) =>
    info.bands.some((band) => band.name === "haze level")
      ? node("optical.hazeLevels", {}, output)
      : null,
};
