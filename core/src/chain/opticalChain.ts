import type { Grid } from "../grid/grid";
import { proposedChain } from "./family";
import type { OpticalFacts } from "./optical/family";
import { OPTICAL_STEPS, type OpticalChain } from "./optical/steps";

/** Where a study of optical dates begins. Indices are those that show its hazard. */
export const proposedOptical = (grid: Grid, facts: Omit<OpticalFacts, "grid">): OpticalChain =>
  proposedChain<OpticalFacts, typeof OPTICAL_STEPS>(OPTICAL_STEPS, { grid, ...facts });
