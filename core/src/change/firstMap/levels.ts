import { isCross } from "../polarisation";

/**
 * Levels of calm water in C band, decibels of sigma or gamma nought: above `dark` nothing is open
 * water; water that nothing else confirms lies under `sure`.
 */
export interface WaterLevels {
  dark: number;
  sure: number;
}

const LIKE: WaterLevels = { dark: -14, sure: -16.5 };
const CROSS: WaterLevels = { dark: -20.5, sure: -23 };

/** Levels of water in a polarisation; one that is not known is taken for VV. */
export const levelsOf = (polarisation: string | undefined): WaterLevels =>
  isCross(polarisation) ? CROSS : LIKE;

/** Levels of power that is not calibrated: so far under the middle of the scene. */
export const relativeLevels = (middle: number): WaterLevels => ({
  dark: middle - 3,
  sure: middle - 5.5,
});
