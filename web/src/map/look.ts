import { COMBINATIONS, bandsOfCombination } from "@hindglance/core/optical/wavelengths";
import type { BandInfo } from "@hindglance/core/graph/image";
import { quantile } from "@hindglance/core/raster/histogram";
import type { Field } from "../prepare/useFields";
import type { Stretch } from "./layers";

/**
 * What of an image is shown: a combination of three bands by its id, or "band:" and the name of
 * one.
 */
export type Look = string;

/** A look that can be chosen, with its words. */
export interface LookChoice {
  value: Look;
  name: string;
  note?: string;
}

/** The look of one band by itself. */
export const bandLook = (name: string): Look => `band:${name}`;

/** Bands of a look in an image, three or one; the nearest thing where the image lacks them. */
export function bandsOfLook(bands: readonly BandInfo[], look: Look): number[] {
  const one = look.startsWith("band:")
    ? bands.findIndex((band) => band.name === look.slice(5))
    : -1;
  if (one >= 0) {
    return [one];
  }
  for (const id of [look, ...COMBINATIONS.map((c) => c.id)]) {
    const three = bandsOfCombination(bands, id);
    if (three) {
      return three;
    }
  }
  return [0];
}
/** Looks that an image offers: combinations first, then bands worth a picture of their own. */
export function looksOf(bands: readonly BandInfo[]): LookChoice[] {
  return [
    ...COMBINATIONS.filter((c) => bandsOfCombination(bands, c.id)).map((c) => ({
      value: c.id,
      name: c.name,
      note: c.hint,
    })),
    ...bands
      .filter(
        (band) =>
          band.role !== "quality" && band.name !== "haze level" && band.name !== "haze ground",
      )
      .map((band) => ({
        value: bandLook(band.name),
        name: band.name,
        ...(band.wavelengthNm ? { note: `${Math.round(band.wavelengthNm)} nm` } : {}),
      })),
  ];
}

/**
 * Ends of the stretch of each band from its figures: two percent cut at either end; null until they
 * are known.
 */
export const stretchesOf = (fields: readonly (Field | null)[]): Stretch[] | null =>
  fields.every((field) => field && field.cells > 0)
    ? fields.map((field) =>
        spread({ lo: quantile(field!.histogram, 0.02), hi: quantile(field!.histogram, 0.98) }),
      )
    : null;

/** A stretch with room between its ends even where they are equal. */
export const spread = (stretch: Stretch): Stretch =>
  stretch.hi > stretch.lo ? stretch : { lo: stretch.lo - 0.5, hi: stretch.lo + 0.5 };
/** One stretch that shows both: a difference that is seen is then one of the images. */
export const joint = (a: readonly Stretch[], b: readonly Stretch[]): Stretch[] =>
  a.map((stretch, k) => ({
    lo: Math.min(stretch.lo, b[k]!.lo),
    hi: Math.max(stretch.hi, b[k]!.hi),
  }));
/**
 * Three bands on one stretch: colours are those of the light. For combinations that the eye would
 * see.
 */
export function inCommon(all: readonly Stretch[]): Stretch[] {
  const s = {
    lo: Math.min(...all.map((stretch) => stretch.lo)),
    hi: Math.max(...all.map((stretch) => stretch.hi)),
  };
  return all.map(() => s);
}
