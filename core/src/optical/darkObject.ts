import { type Histogram, histogramTotal, binCentre } from "../raster/histogram";

/**
 * Bins in which dark values are looked for: reflectance at the top of the atmosphere, −0.05 to
 * 0.75.
 */
export const DARK_BINS = { min: -0.05, max: 0.75, bins: 3200 } as const;
/** Reflectance that the darkest ground is taken to have. Source: Chavez 1988, 1996. */
export const DARK_GROUND = 0.01;
const LEAST_CELLS = 25;

/**
 * The dark value of a band: the lowest at which its histogram begins in earnest, the first bin up
 * to which a share of the cells lies, and 25 of them
 * at least, so that lone bad cells do not count. NaN when there are too few cells.
 */
export function darkValue(histogram: Histogram, share = 0.0005): number {
  const need = Math.max(LEAST_CELLS, share * histogramTotal(histogram));
  let n = histogram.below;
  for (let i = 0; i < histogram.counts.length; i++) {
    n += histogram.counts[i]!;
    if (n >= need) {
      return binCentre(histogram, i);
    }
  }
  return NaN;
}

export type DarkMethod = "darkObject" | "cost";
/**
 * Surface reflectance of one band. Dark object (Chavez 1988): what the darkest ground shows beyond
 * 1 % is the light of the air, and is taken away. With
 * transmittance (COST, Chavez 1996): the light is also taken to have lost itself on its way down by
 * the cosine of the sun's zenith distance, in bands
 * under 1.3 µm; above, it passes whole.
 * @param toa reflectance at the top of the atmosphere; @param dark of that band; @param out may be
 * toa itself; negative results are 0
 */
export function subtractDark(
  toa: Float32Array,
  dark: number,
  method: DarkMethod,
  sunElevationDeg: number,
  wavelengthNm: number,
  out: Float32Array,
): void {
  const through =
    method === "cost" && wavelengthNm < 1300 ? Math.sin((sunElevationDeg * Math.PI) / 180) : 1;
  const path = Math.max(0, dark - DARK_GROUND * through);
  const k = 1 / through;
  for (let i = 0; i < toa.length; i++) {
    const value = (toa[i]! - path) * k;
    out[i] = value < 0 ? 0 : value;
  }
}
