/** Colours of the classes of water. */
export const WATER_COLORS = {
  newWater: "#c8246f",
  standing: "#33498c",
  receded: "#c29a1b",
  vegetation: "#7f4fa8",
  rough: "#6d86c4",
  unsure: "#8d8579",
  perhapsNew: "#dc93b7",
} as const;

/** Colours of what was lost and what was gained. */
export const LOSS_COLOR = "#b85c1e";
export const GAIN_COLOR = "#2a8f84";
