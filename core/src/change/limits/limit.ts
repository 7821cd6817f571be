import type * as yup from "yup";
import type { Field } from "../../form/fields";
import type { NodeSpec } from "../../graph/node";
import type { Step } from "../../graph/step";
import type { BuildContext } from "../layers";
import type { Confirms } from "../second";
import type { Neighbours } from "./neighbours";

/** What can be limited in a study, and what limits begin with. */
export interface LimitGround {
  cellM2: number;
  hasArea: boolean;
  hasElevation: boolean;
  hasHidden: boolean;
  hasCloud: boolean;
  /** Whether a second sensor is asked about classes. */
  hasSecond: boolean;
  /** Dates besides the pair, that can tell what stands there anyway. */
  others: readonly { id: string; name: string }[];
  classes: readonly { label: number; name: string }[];
  /** Side and value on which other dates are asked. */
  start: { op: "<" | ">"; value: number };
  /** Unit of the bands that are compared, with its decimals and step. */
  unit: { unit: string; decimals: number; step: number };
}

/** Ends of a layer beyond which classes are dropped; all of them, or some. */
export interface LayerBound {
  min?: number | null;
  max?: number | null;
  labels?: number[];
}

/** How a limit works: on what is looked at, on the classes by a layer, or on the classes alone. */
export type LimitWork<Own> =
  | { on: "mask"; node(own: Own, context: BuildContext): NodeSpec }
  | {
      on: "layer";
      layer: string;
      bound(own: Own): LayerBound | null;
      /**
       * The layer, where it is the limit's own; rules cannot ask for it. @throws InputError where
       * it cannot be had
       */
      node?(own: Own, context: BuildContext): NodeSpec;
    }
  | {
      on: "classes";
      /** @param asked what the second sensor is asked about the classes; null: nothing */
      node(own: Own, classes: NodeSpec, asked: AskedOfSecond | null): NodeSpec;
    };

/** What a second sensor is asked about the classes of a map, with its layer. */
export interface AskedOfSecond extends Confirms {
  node: NodeSpec;
}

/**
 * One limit of a change map, whole: where its settings stand and how they are checked, what it does
 * to the map, its words, its form. The map, the list of limits, the report, the checks of the
 * server and docs/catalogue.md read it from here.
 */
export interface LimitPart<K extends string, Kept extends object, Own extends object> {
  readonly key: K;
  /** What it is called where its effect is told, and where it can be added. */
  readonly name: string;
  readonly addedAs: string;
  readonly help: string;
  /** Fields of the limits that it stands in, with their checks. */
  readonly shape: { [F in keyof Required<Kept>]: yup.ISchema<Kept[F]> };
  /** Its settings; null where it is not set. */
  read(limits: Kept & Neighbours): Own | null;
  /** The fields with these settings, or without the limit. */
  write(own: Own | null): Partial<Kept & Neighbours>;
  /** It is always set. */
  readonly always?: boolean;
  /** Whether it can be added. */
  offered(ground: LimitGround): boolean;
  /** Settings that it begins with. */
  start(ground: LimitGround): Own;
  /** What it keeps, in a few words. */
  text(own: Own, cellM2: number): string;
  /** The same in a report, with all that decides it. */
  said(own: Own): string;
  readonly work: LimitWork<Own>;
  /** The form, from top to bottom. */
  fields(own: Own, ground: LimitGround): readonly Field[];
  /** Steps of the graph that it brings along. */
  readonly graph: readonly Step[];
}
