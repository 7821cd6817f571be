/** How a cell takes its value from the cells around its place. */
export const RESAMPLING = ["nearest", "bilinear", "cubic"] as const;
export type Resampling = (typeof RESAMPLING)[number];
