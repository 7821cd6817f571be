import type * as yup from "yup";
import { InputError } from "../../errors";
import type { BandInfo } from "../../graph/image";
import { node } from "../../graph/node";
import type { Step } from "../../graph/step";
import { cellByCell, floats, none } from "../../graph/steps/common";
import { brightnessTemperature } from "../../optical/temperature";
import { stepSettings } from "../settings";
import type { OpticalStep } from "./family";
import { inNumbers, reflectanceFirst } from "./scene";

/**
 * Digital numbers to reflectance, thermal numbers to brightness temperature; other bands pass.
 * Level 1: (M·Q + A)/sin(sun elevation) at the top of the atmosphere; level 2, and level 1 that is
 * by the sun already: scale and offset.
 */
const reflectanceStep: Step<Record<string, never>> = {
  kind: "optical.reflectance",
  version: 1,
  title: "Reflectance",
  help: "Digital numbers to reflectance by the gains of the metadata and the height of the sun.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    const dn = info!.bands.filter((band) => band.role === "dn");
    if (dn.length === 0) {
      throw new InputError("Reflectance needs the digital numbers of an optical scene", "inputs");
    }
    const without = dn.find((band) => !band.gain);
    if (without) {
      throw new InputError(
        `Band ${without.name} has no gain: its metadata are missing`,
        "inputs",
        "Add the metadata text that came with the bands.",
      );
    }
    const needsSun = info!.optical?.level !== 2 && !info!.optical?.bySun;
    if (needsSun && info!.optical?.sunElevationDeg == null) {
      throw new InputError("The metadata do not say how high the sun stood", "inputs");
    }
    if (needsSun && !(info!.optical!.sunElevationDeg! > 0)) {
      throw new InputError(
        `The sun stood ${info!.optical!.sunElevationDeg}° high: there is no reflected light`,
        "inputs",
      );
    }
    return {
      ...info!,
      bands: info!.bands.map((band) => {
        if (band.role === "dn") {
          return reflective(band);
        }
        if (band.role === "thermal") {
          return inKelvin(band);
        }
        return band;
      }),
    };
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const { optical, bands } = ctx.base[0]!;
    const sun =
      optical!.level === 1 && !optical!.bySun
        ? Math.sin((optical!.sunElevationDeg! * Math.PI) / 180)
        : 1;
    bands.forEach((band, k) => {
      const src = floats(block!)[k]!;
      const dst = floats(out)[k]!;
      if (band.role === "thermal") {
        brightnessTemperature(src, band.gain!, band.planck ?? null, dst);
        return;
      }
      if (band.role !== "dn") {
        dst.set(src);
        return;
      }
      const m = band.gain!.multiply / sun;
      const c = band.gain!.add / sun;
      for (let i = 0; i < src.length; i++) {
        dst[i] = src[i]! * m + c;
      }
    });
  },
};
const inKelvin = ({ gain: _gain, planck: _planck, ...b }: BandInfo): BandInfo => ({
  ...b,
  role: "temperature",
  unit: "K",
});
const reflective = ({ gain: _gain, ...b }: BandInfo): BandInfo => ({
  ...b,
  role: "reflectance",
  unit: "",
});

const settings = stepSettings({});

/** Digital numbers to reflectance. */
export const reflectance: OpticalStep<"reflectance", yup.InferType<typeof settings>> = {
  key: "reflectance",
  name: "Reflectance",
  help: "Digital numbers to reflectance at the top of the atmosphere, by the gains of the metadata and the height of the sun.",
  settings,
  graph: [reflectanceStep],
  propose: () => ({ on: true }),
  place(row) {
    const numbers = inNumbers(row.scene.info);
    if (!numbers) {
      row.skip();
    } else if (!row.settings.reflectance.on) {
      row.skip([
        "Digital numbers of two dates cannot be compared: the sun stands at another height.",
      ]);
    } else if (reflectanceFirst(row)) {
      row.pass([
        "Comes before Mask for this scene: cloud is told on reflectance where there is no quality band.",
      ]);
    } else {
      row.put(node("optical.reflectance", {}, row.before));
    }
  },
  sentence: () => "gains, sun",
  shows: ({ info: { optical } }) =>
    optical?.level === 2 || optical?.bySun
      ? "scale, offset"
      : `sun ${optical!.sunElevationDeg!.toFixed(1)}°`,
  fields: () => [
    {
      kind: "note",
      text: "Gains, offsets and the height of the sun come from the metadata of each scene.",
    },
  ],
};
