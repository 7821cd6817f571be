import type { BandInfo } from "../../graph/image";
import type { Grid } from "../../grid/grid";
import type { ChainScene, Row } from "../row";
import type { ChainStep, Switched } from "../step";
import type { OpticalChain } from "./steps";

/** An optical scene. */
export interface OpticalScene extends ChainScene {
  name: string;
  /** UTC. */
  acquiredAt: string;
}

/** What the settings that a study begins with follow from. */
export interface OpticalFacts {
  grid: Grid;
  hazard: string;
  /** Whether every scene has a quality band. */
  quality: boolean;
  /** Whether there are several frames of one day. */
  frames: boolean;
  bands: readonly BandInfo[];
}

/** A row of the optical board. */
export type OpticalRow = Row<OpticalScene, OpticalChain>;
/** A step of the optical chain. */
export type OpticalStep<K extends string, S extends Switched> = ChainStep<
  K,
  S,
  OpticalFacts,
  OpticalScene,
  OpticalChain
>;
