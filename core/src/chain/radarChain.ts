import type { Grid } from "../grid/grid";
import { type Dated, chainRows } from "./chainRows";
import { type Chain, proposedChain, withStep } from "./family";
import type { RadarFacts, RadarScene } from "./radar/family";
import { RADAR_STEPS, type RadarChain } from "./radar/steps";
import type { ChainCell, ChainResult } from "./row";

/**
 * Settings that suit mapping floods: beta nought flattened by terrain, as it lies on the map in the
 * images' own cell size.
 */
export const floodChain = (grid: Grid, facts: Omit<RadarFacts, "grid">): RadarChain =>
  proposedChain<RadarFacts, typeof RADAR_STEPS>(RADAR_STEPS, { grid, ...facts });

/** The elevation that a radar chain works with; null where it works with none, or is none. */
export function elevationOfChain({ terrain }: Chain): string | null {
  const { elevationId }: Record<string, unknown> = { ...terrain };
  return typeof elevationId === "string" ? elevationId : null;
}

/**
 * Settings with an elevation that has come into the study: places and flattened light by it, which
 * takes beta nought. What else was set stays.
 */
export const withElevation = (chain: Chain, elevationId: string): Chain =>
  withStep(
    withStep(withStep(chain, "calibrate", { on: true, to: "beta" }), "flatten", { on: true }),
    "terrain",
    { elevationId },
  );

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
