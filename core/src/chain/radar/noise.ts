import type * as yup from "yup";
import { node } from "../../graph/node";
import { azimuthFactor, type LutVector, type ProductLuts, vectorsAround } from "../../radar/luts";
import type { SensorModel } from "../../radar/sensor";
import { stepSettings } from "../settings";
import type { RadarStep } from "./family";

/**
 * Noise-equivalent sigma nought in the middle of a scene, dB; null where the product has no noise
 * vectors.
 */
export function noiseFloor(
  sensor: SensorModel,
  luts: ProductLuts,
  polarisation: string,
): number | null {
  const own = luts[polarisation];
  if (!own || own.noiseRange.length === 0) {
    return null;
  }
  const line = sensor.lines / 2;
  const middle = (vectors: readonly LutVector[]): number => {
    const { values } = vectors[vectorsAround(vectors, line).a]!;
    return values[values.length >> 1]!;
  };
  const noise = middle(own.noiseRange) * azimuthFactor(own.noiseAzimuth, line, sensor.samples / 2);
  return 10 * Math.log10(noise / middle(own.sigma) ** 2);
}

const settings = stepSettings({});

/**
 * Thermal noise. It leaves with calibration, in one step of the graph; by itself it can be looked
 * at as intensity.
 */
export const noise: RadarStep<"noise", yup.InferType<typeof settings>> = {
  key: "noise",
  name: "Noise",
  help: "Takes the instrument's thermal noise off with the product's vectors. It matters most over water and in VH.",
  settings,
  graph: [],
  propose: () => ({ on: true }),
  place(row) {
    if (row.settings.noise.on) {
      row.put(
        node("radar.calibrate", { to: "none", removeNoise: true, polarisations: null }, row.before),
      );
    } else {
      row.skip();
    }
  },
  sentence: () => "subtract",
  async shows({ scene, luts }) {
    const { sensor, bands } = scene.info;
    const floor = noiseFloor(sensor!, await luts(), bands[0]!.polarisation!);
    return floor === null
      ? "no vectors"
      : `${floor < 0 ? "\u2212" : ""}${Math.abs(floor).toFixed(1)} dB floor`;
  },
  fields: () => [
    {
      kind: "note",
      text: "Cells that noise leaves below zero are kept, so that means stay true; they have no decibel value.",
    },
  ],
};
