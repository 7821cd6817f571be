import type * as yup from "yup";
import type { ImageInfo } from "../graph/image";
import type { NodeSpec } from "../graph/node";
import type { Step } from "../graph/step";
import type { ProductLuts } from "../radar/luts";

import type { OpticalFacts } from "./optical/family";
import type { RadarFacts } from "./radar/family";
import type { ChainCell, ChainScene, Row } from "./row";
import type { Field } from "../form/fields";

/** What every step's settings hold: `on` false, and the step is skipped. */
export interface Switched {
  on: boolean;
}

/** What a cell of the board is described with. */
export interface CellFacts<S, Scene extends ChainScene = ChainScene> {
  cell: ChainCell;
  /** Of what the step gives. */
  info: ImageInfo;
  own: S;
  scene: Scene;
  /** Look-up tables of the scene's product. */
  luts(): Promise<ProductLuts>;
}

/**
 * One step of a chain, whole: the nodes it makes and the steps of the graph that compute them, its
 * settings with their bounds, what a study begins with, its words, and its form. The registry, the
 * board, the form, the texts of settings, the checks of the server and docs/steps.md all read it
 * from here.
 */
export interface ChainStep<
  K extends string,
  S extends Switched,
  Facts,
  Scene extends ChainScene,
  Settings,
> {
  readonly key: K;
  readonly name: string;
  readonly help: string;
  readonly settings: yup.ISchema<S>;
  /** Steps of the graph that this step brings along. */
  readonly graph: readonly Step[];
  /** A setting that no date can have of its own, and why. */
  readonly common?: { field: string; why: string };
  /** Why dates cannot be compared while this step is off. */
  readonly apart?: string;
  /** Its result is stored by a run, on the way to the last one. */
  readonly kept?: boolean;
  /** It takes all dates at once, so that a run of one date needs the others. */
  readonly joint?: boolean;
  /** What a study begins with. */
  propose(facts: Facts): S;
  /** Puts the step's cell into a row. @throws InputError where the step cannot run */
  place(row: Row<Scene, Settings>, rows: readonly Row<Scene, Settings>[]): void;
  /** The settings in a few characters. */
  sentence(own: S): string;
  /** What the step gave, in a few characters. */
  shows(facts: CellFacts<S, Scene>): string | Promise<string>;
  /** The form, from top to bottom. */
  fields(own: S, chain: Settings): readonly Field[];
  /** Cells of the product, in range and azimuth, that become one. */
  looks?(own: S): readonly [range: number, azimuth: number];
  /** Another picture of what the step gave, for looking at. */
  picture?(output: NodeSpec, info: ImageInfo): NodeSpec | null;
}

/** What any chain's proposal follows from. */
export type AnyFacts = RadarFacts & OpticalFacts;
/** A step of any chain. */
export type AnyStep = ChainStep<string, Switched, AnyFacts, ChainScene, Record<string, Switched>>;

/** Settings of a chain, by step. */
export type SettingsOf<Steps extends readonly { key: string; propose(facts: never): Switched }[]> =
  { [T in Steps[number] as T["key"]]: ReturnType<T["propose"]> };
