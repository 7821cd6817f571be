import { type Decided, meanOver } from "./decide";
import type { WaterLevels } from "./levels";
import type { Signs } from "./signs";

/** Thresholds of the classes of water, decibels. */
export interface WaterThresholds {
  /** Change of a cell of new water and of its middle, and of receded water. */
  change: number;
  changeNear: number;
  rise: number;
  risePeak: number;
  /** Under it a date can be water at all; its middle lies under the others. */
  dark: number;
  nearBefore: number;
  nearAfter: number;
  /** Over it ground was no water before, and is none after. */
  dryBefore: number;
  dryAfter: number;
  /** Between water and land in the other polarisation; null where that tells nothing. */
  cross: number | null;
}

/** Shares of the step from land to water that a cell and its middle must have made. */
const FRINGE = 0.3;
const MIDDLE = 0.5;
/** Ends of those, decibels. */
const LEAST_FRINGE = 2.5;
const MOST_FRINGE = 4;
const LEAST_MIDDLE = 4;
const MOST_MIDDLE = 6;
/** Decibels under land at which a cell is half water. */
const HALF_WATER = 2.5;
/** Decibels over the level of water that its middle still has. */
const NEAR_LEVEL = 2.5;
/** Where no water shows its level, decibels under what is sure. */
const USUAL_UNDER_SURE = 3.5;

const within = (least: number, value: number, most: number): number =>
  Math.max(least, Math.min(most, value));

/**
 * Thresholds from the levels of land and water that a pair shows. A change is never on the wrong
 * side of nought, and what is water on a date is never dry on it.
 */
export function thresholdsOf(signs: Signs, decided: Decided, levels: WaterLevels): WaterThresholds {
  const usual = levels.sure - USUAL_UNDER_SURE;
  const after = decided.waterAfter ?? decided.waterBefore ?? usual;
  const before = decided.waterBefore ?? decided.waterAfter ?? usual;
  const anyLand = Number.isFinite(signs.landDb) ? signs.landDb : levels.dark + 3;
  const land = meanOver(decided.newWater, (body) => body.before.mean) ?? anyLand;
  const step = Math.max(0, land - after);
  const { middle } = signs.unchanged;
  const fringe = within(LEAST_FRINGE, FRINGE * step, MOST_FRINGE);
  const core = within(LEAST_MIDDLE, MIDDLE * step, MOST_MIDDLE);
  const dark = within(levels.dark - 1, land - HALF_WATER, levels.dark + 1.5);
  const nearOf = (level: number) => within(levels.sure - 5, level + NEAR_LEVEL, levels.dark - 1);
  const dryOf = (level: number) => Math.min(dark, (level + land) / 2);
  return {
    change: Math.min(0, middle) - fringe,
    changeNear: Math.min(0, middle) - core,
    rise: Math.max(0, middle) + fringe,
    risePeak: Math.max(0, middle) + core,
    dark,
    nearBefore: nearOf(before),
    nearAfter: nearOf(after),
    dryBefore: dryOf(before),
    dryAfter: dryOf(after),
    cross: signs.cross?.between ?? null,
  };
}
