import type { Grid } from "../../grid/grid";
import type { StateVector } from "../../radar/orbit";
import type { ChainScene } from "../row";
import type { ChainStep, Switched } from "../step";
import type { Elevation } from "./elevation";
import type { RadarChain } from "./steps";

/** A radar product with the orbit file and the elevation that its chain works with. */
export interface RadarScene extends ChainScene {
  orbit: { kind: "precise" | "restituted"; vectors: StateVector[] } | null;
  /** Orbit files of the pass that have a gap just there, by name. */
  brokenOrbits?: readonly string[];
  elevation: Elevation | null;
  /** Elevation of the study that no step works with, by name. */
  unusedElevation?: string | null;
}

/** What the settings that a study begins with follow from. */
export interface RadarFacts {
  grid: Grid;
  elevationId: string | null;
  /** Equivalent looks of the products. */
  looks: number;
  rangeLooks: number;
  azimuthLooks: number;
}

/** A step of the radar chain. */
export type RadarStep<K extends string, S extends Switched> = ChainStep<
  K,
  S,
  RadarFacts,
  RadarScene,
  RadarChain
>;
