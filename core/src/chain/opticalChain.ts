import type { Grid } from "../grid/grid";
import { type Dated, chainRows } from "./chainRows";
import { proposedChain } from "./family";
import type { OpticalFacts, OpticalScene } from "./optical/family";
import { OPTICAL_STEPS, type OpticalChain } from "./optical/steps";
import type { ChainResult } from "./row";

/** Where a study of optical dates begins. Indices are those that show its hazard. */
export const proposedOptical = (grid: Grid, facts: Omit<OpticalFacts, "grid">): OpticalChain =>
  proposedChain<OpticalFacts, typeof OPTICAL_STEPS>(OPTICAL_STEPS, { grid, ...facts });

/** All scenes' cells to the end. Frames of one day share what Mosaic makes of them. */
export const opticalNodes = (
  all: readonly Dated<OpticalScene, OpticalChain>[],
): Map<string, ChainResult> => chainRows(OPTICAL_STEPS, all);
