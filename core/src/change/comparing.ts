import type { BandInfo } from "../graph/image";

/**
 * What a band is compared as: radar power in decibels; reflectance, an index or any other number as it
 * is; or the classes of a classified date.
 */
export type Comparing = "power" | "value" | "class";

/** What a band is compared as; null where it cannot be compared. */
export const comparingOf = (band: BandInfo): Comparing | null => {
  if (band.role === "power") {
    return "power";
  }
  if (band.role === "value" || band.role === "reflectance" || band.role === "temperature") {
    return "value";
  }
  return band.role === "classes" ? "class" : null;
};
