/** Colours of the three water classes. */
export const WATER_COLORS = {
  newWater: "#c8246f",
  standingWater: "#33498c",
  recededWater: "#c29a1b",
} as const;

/** Colours of what was lost and what was gained. */
export const LOSS_COLOR = "#b85c1e";
export const GAIN_COLOR = "#2a8f84";
