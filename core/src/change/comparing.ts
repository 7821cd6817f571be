import type { BandInfo } from "../graph/image";

/**
 * What a band is compared as: radar power in decibels, or reflectance, an index or any other number
 * as it is; null where it cannot be compared.
 */
export type Comparing = "power" | "value";

/** What a band is compared as; null where it cannot be compared. */
export const comparingOf = (band: BandInfo): Comparing | null => {
  if (band.role === "power") {
    return "power";
  }
  if (band.role === "value" || band.role === "reflectance" || band.role === "temperature") {
    return "value";
  }
  return null;
};
