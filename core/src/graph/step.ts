import type { Window } from "../grid/grid";
import type { Model } from "../classify/model";
import type { ProductLuts } from "../radar/luts";
import type { Block } from "../raster/block";
import type { ImageInfo } from "./image";

/**
 * Everything a step is told when it works on one level. `inputs` and `output` carry the level's
 * grid.
 */
export interface StepContext<P, S = unknown> {
  readonly params: P;
  readonly level: number;
  readonly inputs: readonly ImageInfo[];
  /** The inputs at full resolution. */
  readonly base: readonly ImageInfo[];
  readonly output: ImageInfo;
  /** Result of `gather`; undefined where the step has none or in a preview. */
  readonly state: S | undefined;
  /** A preview may be computed from the window alone where a full run looks at the whole image. */
  readonly preview: boolean;
  /** Look-up tables of the product that the first input comes from, for steps that ask for them. */
  readonly luts?: ProductLuts;
  /** The trained model that the parameters name, for steps that ask for one. */
  readonly model?: Model;
}

export interface InputRequest {
  window: Window;
  level: number;
}

/** Reads inputs on the level a step is asked on. */
export interface Asker {
  readonly inputs: readonly ImageInfo[];
  read(input: number, window: Window): Promise<Block>;
}

/**
 * What a step gathers from the whole image before it computes: numbers, strings and typed arrays,
 * so that it can be stored.
 */
export type StepState = Record<string, number | string | Uint8Array | Uint32Array | Float64Array>;

/** What a step found in an image, for the log: figures by name, and what follows from them. */
export interface StepReport {
  lines: { name: string; value: string }[];
  warnings: string[];
}

/** Parameters as they are checked; a Yup schema is one. */
export interface ParamsSchema<P> {
  /** @throws yup.ValidationError naming the parameter */
  validateSync(value: unknown, options?: { strict?: boolean; abortEarly?: boolean }): P;
}

/** One step of the graph. `P`: its parameters, `S`: what it gathers, `Part`: what it gathers of a strip. */
export interface Step<
  P extends object = object,
  S extends StepState = StepState,
  Part extends StepState = S,
> {
  readonly kind: string;
  /** Raised whenever the same parameters give other cells than before. */
  readonly version: number;
  readonly title: string;
  readonly help: string;
  readonly inputs: { min: number; max: number };
  readonly params: ParamsSchema<P>;
  readonly needsLuts?: boolean;
  /** The parameter `model` names a trained model. */
  readonly needsModel?: boolean;
  /**
   * Grid, bands and units of the result, at full resolution. @throws InputError when the inputs do
   * not fit, with the reason
   */
  describe(inputs: readonly ImageInfo[], params: P): ImageInfo;
  /**
   * Gathers from an overview of a thousand cells a side or less, in previews and in full runs
   * alike, so that both take the same facts. Without it a preview has no state.
   */
  readonly overview?: boolean;
  /**
   * Of a step with an overview: parameters that its facts depend on; all of them where this is left
   * out. A change of the others costs no new look at the image.
   */
  readonly gathers?: readonly string[];
  /**
   * Facts of the whole image, found strip by strip (rows of whole blocks, so that several workers
   * can share them) and merged in
   * the order of the strips. Kept by the node's hash.
   */
  gather?: {
    strip(ask: Asker, strip: Window, ctx: StepContext<P, S>): Promise<Part>;
    merge(parts: readonly Part[], ctx: StepContext<P, S>): S;
  };
  /**
   * What was found, for people to read; null when there is nothing to tell. Takes what `gather`
   * gave.
   */
  report?(ctx: StepContext<P, S>): StepReport | null;
  /**
   * Which windows of the inputs one output window needs. May reach past the image: cells there are
   * nodata.
   */
  reach(window: Window, ctx: StepContext<P, S>): InputRequest[];
  /** Pure. Writes every cell of `out`. */
  compute(inputs: readonly Block[], out: Block, ctx: StepContext<P, S>): void;
}
