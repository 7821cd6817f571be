import type { BandInfo } from "../graph/image";
import { comparingOf } from "./comparing";
import type { BandUse } from "./measures/measure";

/**
 * Bands of before that take part where none were picked: those like `band`; every band that can be
 * compared with it for a formula; reflectance, where there is some, for groups.
 */
export function usualBands(bands: readonly BandInfo[], band: number, use: BandUse): number[] {
  const first = bands[band]!;
  const of = (apply: (b: BandInfo) => boolean) =>
    bands.map((_b, k) => k).filter((k) => apply(bands[k]!));
  if (use === "formula") {
    return of((b) => comparingOf(b) === comparingOf(first));
  }
  const light =
    use === "groups" && comparingOf(first) === "value" ? of((b) => b.role === "reflectance") : [];
  return light.length > 1 ? light : of((b) => b.role === first.role && b.unit === first.unit);
}

/** Bands of before that measures of several bands can take beside one: in its unit. */
export const likeBands = (bands: readonly BandInfo[], band: number): number[] =>
  bands
    .map((_b, k) => k)
    .filter(
      (k) =>
        comparingOf(bands[k]!) !== null &&
        comparingOf(bands[k]!) === comparingOf(bands[band]!) &&
        bands[k]!.unit === bands[band]!.unit,
    );
