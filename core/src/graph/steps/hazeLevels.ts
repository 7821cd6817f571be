import { InputError } from "../../errors";
import { HAZE_CLOUD, HAZE_LEVELS } from "../../optical/haze";
import type { Step } from "../step";
import { cellByCell, floats, none } from "./common";

const COLORS = [
  "#e9e4d4",
  "#d9c27a",
  "#c58b2e",
  "#8f4a12",
  "#c9dbe6",
  "#86b1cc",
  "#4a7ea6",
  "#2a4a6e",
  "#ffffff",
] as const;

/** The levels of a haze band as classes, for a map of them. */
export const hazeLevelsStep: Step<Record<string, never>> = {
  kind: "optical.hazeLevels",
  version: 1,
  title: "Haze levels",
  help: "The haze map in its named levels.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.name === "haze level")) {
      throw new InputError("There is no haze level here", "inputs");
    }
    return {
      grid: info!.grid,
      type: "class8",
      bands: [{ name: "haze level", unit: "", role: "classes" }],
      classes: HAZE_LEVELS.map((name, k) => ({ label: k + 1, name, color: COLORS[k]! })),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const values = floats(block!)[
      ctx.base[0]!.bands.findIndex((band) => band.name === "haze level")
    ]!;
    const cells = out.bands[0]!;
    for (let i = 0; i < cells.length; i++) {
      cells[i] =
        values[i] === values[i]
          ? Math.min(HAZE_CLOUD, Math.max(0, Math.round(values[i]!))) + 1
          : 255;
    }
  },
};
