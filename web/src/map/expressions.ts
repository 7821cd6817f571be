/** Expressions of the graphics card that several kinds of layers have in common. */

export { channels as rgb } from "@hindglance/core/sheet/seeing";

/** An expression as OpenLayers takes it: an operator and what it works on. */
export type Expression = unknown[];

/** Whether a band has no value there. */
export const isEmpty = (band: number): Expression => ["<", ["band", band], -9000];

/** Drawn nowhere. */
export const NOTHING: Expression = ["color", 0, 0, 0, 0];

/** A band between the variables `lo` and `hi` (with `k` behind their names) as 0 to 1. */
export const scaled = (band: number, k = ""): Expression => [
  "clamp",
  ["/", ["-", ["band", band], ["var", `lo${k}`]], ["-", ["var", `hi${k}`], ["var", `lo${k}`]]],
  0,
  1,
];

/** Scaled and bent: gamma over 1 brightens the dark end. */
export const bent = (band: number, k: string): Expression => [
  "^",
  scaled(band, k),
  ["/", 1, ["var", "gamma"]],
];
