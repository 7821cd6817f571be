import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { meanAndDeviation } from "@hindglance/core/raster/statistics";
import type { Scene } from "../../api/types";
import { number } from "../../lib/format";
import { asShown } from "../display";

const isPower = (band: BandInfo): boolean => band.role === "power" || band.role === "amplitude";
/** Digital numbers that are shown as reflectance. */
const isReflectance = (band: BandInfo): boolean => band.role === "dn" && !!band.gain;

/** Decibels of power or amplitude. */
function decibels(band: BandInfo, value: number): string {
  const factor = band.role === "amplitude" ? 20 : 10;
  return `${number(factor * Math.log10(value), 1)} dB`;
}

/** A value of a band as it is read: decibels, reflectance, or the number with its unit. */
function valueText(scene: Scene, index: number, value: number): string {
  const band = scene.info!.bands[index]!;
  if (isPower(band) && value > 0) {
    return decibels(band, value);
  }
  if (isReflectance(band)) {
    return number(asShown(scene, index)(value), 3);
  }
  return `${number(value, isPower(band) ? 4 : 1)}${band.unit ? ` ${band.unit}` : ""}`;
}

/** Least, mean, greatest value and the share that is valid; none where they were not measured. */
export function figuresOf(scene: Scene, index: number): [name: string, said: string][] {
  const statistics = scene.statistics?.[index];
  const moments = statistics ? meanAndDeviation(statistics) : null;
  if (!statistics || !moments) {
    return [];
  }
  return [
    ["min", valueText(scene, index, statistics.min)],
    ["mean", valueText(scene, index, moments.mean)],
    ["max", valueText(scene, index, statistics.max)],
    ["valid", `${number((100 * statistics.valid) / statistics.cells, 1)} %`],
  ];
}

/** What the axis of a band's histogram is in, and its decimals. */
export function axisOf(info: ImageInfo, index: number): { unit: string; decimals: number } {
  const band = info.bands[index]!;
  if (isPower(band)) {
    return { unit: "dB", decimals: 1 };
  }
  if (isReflectance(band)) {
    const surface = info.optical?.level === 2;
    return { unit: surface ? "surface reflectance" : "reflectance, top of the air", decimals: 3 };
  }
  return { unit: band.unit, decimals: 1 };
}
