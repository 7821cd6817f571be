import type { Measure } from "@hindglance/core/change/setup";
import type { Layer } from "@hindglance/core/change/rules";

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
export const unitOf = (level: Layer, layerUnit: LayerUnit): LayerUnit => {
  if (level === "slope") {
    return { unit: "°", decimals: 1, step: 0.5 };
  }
  if (level === "elevation" || level === "drainage") {
    return { unit: "m", decimals: 0, step: 5 };
  }
  if (level === "measure") {
    return layerUnit.measure ?? layerUnit;
  }
  return layerUnit;
};
/** Units of a comparison: of its bands, and of its measure where that has one of its own. */
const OWN: Partial<Record<Measure, LayerUnit>> = {
  relativeChange: { unit: "%", decimals: 0, step: 1 },
  decibelQuotient: { unit: "", decimals: 2, step: 0.01 },
  noChange: { unit: "%", decimals: 1, step: 0.5 },
  changeDirection: { unit: "°", decimals: 0, step: 5 },
  formula: { unit: "", decimals: 3, step: 0.01 },
};

/** Units of bands together with those of a measure that has its own. */
export const withMeasure = (layerUnit: LayerUnit, m: Measure): LayerUnit =>
  OWN[m] ? { ...layerUnit, measure: OWN[m] } : layerUnit;

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
