import { InputError } from "../../errors";
import { fromDecibel } from "../../radar/decibel";
import type { Step } from "../step";
import { cellByCell, floats, none } from "./common";

export const powerStep: Step<Record<string, never>> = {
  kind: "radar.power",
  version: 1,
  title: "Power",
  help: "Decibels back to linear power.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "decibel")) {
      throw new InputError("There is no band in decibels", "inputs");
    }
    return {
      ...info!,
      bands: info!.bands.map((band) =>
        band.role === "decibel" ? { ...band, role: "power" as const, unit: "" } : band,
      ),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    ctx.base[0]!.bands.forEach((band, i) => {
      if (band.role === "decibel") {
        fromDecibel(floats(block!)[i]!, floats(out)[i]!);
      } else {
        out.bands[i]!.set(block!.bands[i]!);
      }
    });
  },
};
