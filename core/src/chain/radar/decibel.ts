import type * as yup from "yup";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, none, requireRole } from "../../graph/steps/common";
import { toDecibel } from "../../radar/decibel";
import { realCells } from "../../raster/block";
import { stepSettings } from "../settings";
import type { RadarStep } from "./family";

const decibelStep: Step<Record<string, never>> = {
  kind: "radar.decibel",
  version: 2,
  title: "Decibel",
  help: "10·log₁₀ of power. Zero and negative power have no decibel value and become nodata.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "power")) {
      requireRole("Decibel", info!, ["power"], "only power can be turned into decibels.");
    }
    return {
      ...info!,
      bands: info!.bands.map((band) =>
        band.role === "power" ? { ...band, role: "decibel" as const, unit: "dB" } : band,
      ),
    };
  },
  reach: cellByCell,
  compute([block], out, { base }) {
    block!.bands.forEach((band, i) => {
      if (base[0]!.bands[i]!.role === "power") {
        toDecibel(realCells(band), realCells(out.bands[i]!));
      } else {
        out.bands[i]!.set(band);
      }
    });
  },
};

const settings = stepSettings({});

/** Power as decibels, for the result. */
export const decibel: RadarStep<"decibel", yup.InferType<typeof settings>> = {
  key: "decibel",
  name: "Decibel",
  help: "10·log₁₀ of power for the result. Compare takes either.",
  settings,
  graph: [decibelStep],
  propose: () => ({ on: false }),
  place(row) {
    if (row.settings.decibel.on) {
      // What is compared stays power.
      row.aside(node("radar.decibel", {}, row.before));
    } else {
      row.skip();
    }
  },
  sentence: () => "10·log₁₀",
  shows: () => "dB",
  fields: () => [
    {
      kind: "note",
      text: "Zero and negative power have no decibel value and become nodata.",
    },
  ],
};
