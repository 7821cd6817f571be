import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import type { BandInfo, ImageInfo } from "../../graph/image";
import type { Step } from "../../graph/step";
import { cellByCell, floats, requireRole } from "../../graph/steps/common";
import { calibrate as calibrateCells } from "../../radar/calibrate";
import { stepSettings } from "../settings";
import type { RadarStep } from "./family";

const RADIOMETRIES = ["none", "beta", "sigma", "gamma"] as const;
const SYMBOL = { none: "intensity", beta: "beta0", sigma: "sigma0", gamma: "gamma0" } as const;
const calibrateStep: Step<{
  to: (typeof RADIOMETRIES)[number];
  removeNoise: boolean;
  polarisations: string[] | null;
}> = {
  kind: "radar.calibrate",
  version: 1,
  title: "Calibrate",
  help: "Digital numbers to backscatter by the product's vectors, thermal noise taken off where asked.",
  inputs: { min: 1, max: 1 },
  needsLuts: true,
  params: yup
    .object({
      to: yup.string().oneOf(RADIOMETRIES).required(),
      removeNoise: yup.boolean().required(),
      polarisations: yup.array(yup.string().required()).min(1).nullable().defined(),
    })
    .noUnknown(),
  describe([info], params) {
    requireRole(
      "Calibrate",
      info!,
      ["amplitude"],
      "only the digital numbers of a product can be calibrated, and only once.",
    );
    const bands = bandsOf(info!, params.polarisations);
    return {
      ...info!,
      bands: bands.map((band): BandInfo => ({
        name: `${SYMBOL[params.to]} ${band.polarisation}`,
        unit: params.to === "none" ? "DN²" : "",
        role: "power",
        polarisation: band.polarisation,
      })),
      ...(params.to === "none" ? {} : { radiometry: params.to }),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    bandsOf(ctx.base[0]!, ctx.params.polarisations).forEach((band, i) => {
      const luts = ctx.luts?.[band.polarisation!];
      if (!luts) {
        throw new InputError(
          `The product has no look-up table for ${band.polarisation}`,
          "polarisations",
        );
      }
      if (ctx.params.removeNoise && luts.noiseRange.length === 0) {
        throw new InputError(
          `The product has no noise vectors for ${band.polarisation}`,
          "removeNoise",
          "Skip the noise step for this scene.",
        );
      }
      calibrateCells(
        floats(block!)[ctx.base[0]!.bands.indexOf(band)]!,
        ctx.output.grid,
        out.window,
        luts,
        ctx.params.to,
        ctx.params.removeNoise,
        floats(out)[i]!,
      );
    });
  },
};
const bandsOf = (info: ImageInfo, pols: string[] | null) => {
  const chosen = pols ? info.bands.filter((band) => pols.includes(band.polarisation!)) : info.bands;
  if (chosen.length === 0) {
    throw new InputError(
      `The scene has none of the polarisations ${pols!.join(", ")}`,
      "polarisations",
    );
  }
  return chosen;
};

const BACKSCATTER = ["beta", "sigma", "gamma"] as const;
const SIGN = { beta: "β⁰", sigma: "σ⁰", gamma: "γ⁰" } as const;
const settings = stepSettings({
  to: yup.string().oneOf(BACKSCATTER).required(),
  polarisations: yup
    .array(yup.string().oneOf(["VV", "VH", "HH", "HV"]).required())
    .min(1)
    .nullable()
    .defined(),
});

/** Digital numbers to backscatter. */
export const calibrate: RadarStep<"calibrate", yup.InferType<typeof settings>> = {
  key: "calibrate",
  name: "Calibrate",
  help: "Digital numbers to backscatter. Beta nought is per slant-range area and what Flatten needs; sigma and gamma nought take a smooth Earth for granted.",
  settings,
  graph: [calibrateStep],
  propose: ({ elevationId }) => ({
    on: true,
    to: elevationId ? "beta" : "gamma",
    polarisations: null,
  }),
  place(row) {
    const { noise, calibrate: own } = row.settings;
    const raw = row.givenTo("noise");
    if (own.on) {
      row.put(
        node(
          "radar.calibrate",
          { to: own.to, removeNoise: noise.on, polarisations: own.polarisations },
          raw,
        ),
      );
      return;
    }
    const intensity = noise.on
      ? row.before
      : node("radar.calibrate", { to: "none", removeNoise: false, polarisations: null }, raw);
    row.replace(intensity, ["Without calibration the numbers of two dates cannot be compared."]);
  },
  sentence: (own) => `${SIGN[own.to]} · ${own.polarisations?.join(" ") ?? "all"}`,
  shows: ({ own, info }) =>
    `${SIGN[own.to]} ${info.bands.map((band) => band.polarisation).join(" ")}`,
  fields: () => [
    {
      kind: "choice",
      at: "to",
      label: "To",
      name: "Backscatter",
      options: [
        { value: "beta", name: SIGN.beta, hint: "Beta nought" },
        { value: "sigma", name: SIGN.sigma, hint: "Sigma nought" },
        { value: "gamma", name: SIGN.gamma, hint: "Gamma nought" },
      ],
    },
    {
      kind: "choice",
      at: "polarisations",
      label: "Polarisations",
      options: [
        { value: null, name: "All" },
        { value: ["VV"], name: "VV" },
        { value: ["VH"], name: "VH" },
      ],
    },
  ],
};
