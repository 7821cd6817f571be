import * as yup from "yup";
import { toDecibel } from "../../radar/decibel";
import { lee } from "../../radar/lee";
import { REFINED_LEE_HALO, refinedLee } from "../../radar/refinedLee";
import type { Step } from "../step";
import { cellByCell, finite, none, requireRole, withHalo } from "./common";
import { realCells } from "../../raster/block";

export const decibelStep: Step<Record<string, never>> = {
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

const looks = () => finite().min(0.5).max(1000);
const speckleReason = "speckle is filtered on power, never on decibels.";

/**
 * Averaging 2^level x 2^level cells of independent speckle multiplies the looks by their number.
 */
const looksAt = (eachLooks: number, level: number) => eachLooks * 4 ** level;

export const leeStep: Step<{ windowCells: number; looks: number }> = {
  kind: "radar.lee",
  version: 1,
  title: "Lee",
  help: "Smooths the grain of radar images by local statistics (Lee 1980).",
  inputs: { min: 1, max: 1 },
  params: yup
    .object({ windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(), looks: looks() })
    .noUnknown(),
  describe([info]) {
    requireRole("Lee", info!, ["power"], speckleReason);
    return info!;
  },
  reach: (w, ctx) => withHalo(w, ctx, (ctx.params.windowCells - 1) / 2),
  compute([block], out, { params, level }) {
    block!.bands.forEach((band, i) =>
      lee(
        realCells(band),
        out.window.width,
        out.window.height,
        params.windowCells,
        looksAt(params.looks, level),
        realCells(out.bands[i]!),
      ),
    );
  },
};

export const refinedLeeStep: Step<{ looks: number }> = {
  kind: "radar.refinedLee",
  version: 1,
  title: "Refined Lee",
  help: "Smooths the grain of radar images and keeps edges such as banks and roads (Lee 1981, 7 x 7).",
  inputs: { min: 1, max: 1 },
  params: yup.object({ looks: looks() }).noUnknown(),
  describe([info]) {
    requireRole("Refined Lee", info!, ["power"], speckleReason);
    return info!;
  },
  reach: (w, ctx) => withHalo(w, ctx, REFINED_LEE_HALO),
  compute([block], out, { params, level }) {
    block!.bands.forEach((band, i) =>
      refinedLee(
        realCells(band),
        out.window.width,
        out.window.height,
        looksAt(params.looks, level),
        realCells(out.bands[i]!),
      ),
    );
  },
};
