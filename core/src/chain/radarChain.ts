import type { Grid } from "../grid/grid";
import { type Dated, chainRows } from "./chainRows";
import { proposedChain } from "./family";
import type { RadarFacts, RadarScene } from "./radar/family";
import { RADAR_STEPS, type RadarChain } from "./radar/steps";
import type { ChainCell, ChainResult } from "./row";

/**
 * Settings that suit mapping floods: beta nought flattened by terrain, as it lies on the map in the
 * images' own cell size.
 */
export const floodChain = (grid: Grid, facts: Omit<RadarFacts, "grid">): RadarChain =>
  proposedChain<RadarFacts, typeof RADAR_STEPS>(RADAR_STEPS, { grid, ...facts });

/** All scenes' cells, from the product to the end of the chain. */
export const chainNodes = (
  scenes: readonly Dated<RadarScene, RadarChain>[],
): Map<string, ChainResult> => chainRows(RADAR_STEPS, scenes);

/**
 * The cells of one scene up to Terrain, which depend on no other date. @throws InputError where a
 * step cannot run
 */
export function sceneNodes(scene: RadarScene, settings: RadarChain): ChainCell[] {
  const { cells, error } = chainNodes([{ scene, settings }]).get(scene.id)!;
  if (error) {
    throw error;
  }
  return cells.slice(0, RADAR_STEPS.findIndex((step) => step.key === "terrain") + 1);
}
