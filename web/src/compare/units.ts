import { LAYER_WORDS } from "@hindglance/core/change/layerWords";
import type { Layer } from "@hindglance/core/change/rules";
import { type Measure, measureOf } from "@hindglance/core/change/measures/all";

/**
 * How a layer is written and stepped: decibels in tenths, indices and reflectance in hundredths.
 */
export interface LayerUnit {
  unit: string;
  decimals: number;
  step: number;
  /** Of the measure, where it is not that of the bands. */ measure?: LayerUnit;
}
export const DECIBEL: LayerUnit = { unit: "dB", decimals: 1, step: 0.1 };

/** How a number that is no decibel is written: in hundredths. */
export const plainUnit = (unit: string): LayerUnit => ({ unit, decimals: 2, step: 0.01 });
/** Of a layer of a comparison whose bands are in `u`. */
export const unitOf = (layer: Layer, bands: LayerUnit): LayerUnit => {
  switch (LAYER_WORDS[layer].scale) {
    case "degrees":
      return { unit: "°", decimals: 1, step: 0.5 };
    case "metres":
      return { unit: "m", decimals: 0, step: 5 };
    case "reflectance":
      return { unit: "", decimals: 3, step: 0.01 };
    case "second":
      return plainUnit("");
    case "measure":
      return bands.measure ?? bands;
    default:
      return bands;
  }
};
/** Units of bands together with those of a measure that has its own. */
export const withMeasure = (bands: LayerUnit, m: Measure): LayerUnit => {
  const { unit } = measureOf(m);
  return unit ? { ...bands, measure: unit } : bands;
};

/** A number with its unit behind it. */
export const withUnit = (text: string, layerUnit: LayerUnit): string => {
  if (layerUnit.unit === "°") {
    return `${text}°`;
  }
  if (layerUnit.unit) {
    return `${text} ${layerUnit.unit}`;
  }
  return text;
};

/** A value in as many decimals as its layer is written with. */
export const rounded = (value: number, layerUnit: LayerUnit): number =>
  Math.round(value * 10 ** layerUnit.decimals) / 10 ** layerUnit.decimals;
