import type { BandInfo } from "../graph/image";

/**
 * A band as it is written in a formula: its polarisation, or its name in letters, digits and
 * underscores.
 */
export const nameInFormula = (b: Pick<BandInfo, "name" | "polarisation">): string => {
  const s = (b.polarisation ?? b.name).trim().replace(/\W+/g, "_");
  return /^\d/.test(s) ? `b${s}` : s;
};
/** Names by which a formula finds the bands of both dates. */
export const namesOfDates = (names: readonly string[]): string[] =>
  ["before", "after"].flatMap((date) => names.map((b) => `${date}.${b}`));
