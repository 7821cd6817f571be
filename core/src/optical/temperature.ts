/**
 * Brightness temperature in kelvin of thermal numbers: gain and offset give radiance L in W/(m² sr
 * µm), T = K2 / ln(K1/L + 1) (the inverse of Planck's
 * law with the detector's constants, as the Collection 2 product guides give it). Without constants
 * gain and offset give kelvin at once (level 2).
 * @param numbers NaN = nodata; @param out NaN where there is no number or no radiance above zero
 */
export function brightnessTemperature(
  numbers: Float32Array,
  gain: { multiply: number; add: number },
  planck: { k1: number; k2: number } | null,
  out: Float32Array,
): void {
  const { multiply, add } = gain;
  if (!planck) {
    for (let i = 0; i < numbers.length; i++) {
      out[i] = numbers[i]! * multiply + add;
    }
    return;
  }
  const { k1, k2 } = planck;
  for (let i = 0; i < numbers.length; i++) {
    const radiance = numbers[i]! * multiply + add;
    out[i] = radiance > 0 ? k2 / Math.log(k1 / radiance + 1) : NaN;
  }
}
