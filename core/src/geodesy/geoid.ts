import { InputError } from "../errors";

/**
 * Height of sea level above the WGS 84 ellipsoid in metres. @param lonDeg any longitude; @param
 * latDeg −90 to 90
 */
export type Geoid = (lonDeg: number, latDeg: number) => number;

let model: Geoid | null = null;
/**
 * Names the model of this process. The tables of one are large, so that pages, which never need it,
 * do not carry them: see egm96.ts.
 */
export function nameGeoid(geoid: Geoid): void {
  model = geoid;
}
/** @throws InputError where no model was named */
export function seaLevelAboveEllipsoid(lonDeg: number, latDeg: number): number {
  if (!model) {
    throw new InputError(
      "Heights above sea level cannot be brought to the ellipsoid here",
      "vertical",
    );
  }
  return model(lonDeg, latDeg);
}

/** Lowest and highest that sea level lies above the ellipsoid anywhere, metres, rounded outward. */
export const SEA_LEVEL_RANGE = [-107, 86] as const;
