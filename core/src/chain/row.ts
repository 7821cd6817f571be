import { InputError } from "../errors";
import { type NodeSpec, sourceNode } from "../graph/node";
import type { ImageInfo } from "../graph/image";

/**
 * One cell of the board: what a step gives for a scene, and what it was given. Skipped steps hand
 * on.
 */
export interface ChainCell {
  step: string;
  skipped: boolean;
  input: NodeSpec;
  output: NodeSpec;
  warnings: string[];
  /** Nodes inside the step that have something to tell, see Step.report. */
  tells?: NodeSpec[];
}

/**
 * What a chain makes of one scene: its cells, its result, and why it cannot go on where it cannot.
 */
export interface ChainResult {
  cells: ChainCell[];
  result: NodeSpec;
  error: InputError | null;
  /** The step that refused. */
  failedAt?: string;
}

/** What every chain knows of a scene. */
export interface ChainScene {
  id: string;
  imageId: string;
  info: ImageInfo;
}

/**
 * The row of one scene: its cells grow step by step. A step that refuses ends it, with what came
 * before still there to look at.
 */
export class Row<Scene extends ChainScene, Settings> {
  readonly cells: ChainCell[] = [];
  /** What the present step is given; the same for all rows until each has gone through it. */
  before: NodeSpec;
  /** Grid and bands of what the row has come to, where a step needs them. */
  info: ImageInfo;
  error: InputError | null = null;
  failedAt?: string;
  private step = "";
  private at: NodeSpec;

  constructor(
    readonly scene: Scene,
    readonly settings: Settings,
  ) {
    this.at = sourceNode(scene.imageId);
    this.before = this.at;
    this.info = scene.info;
  }

  /** Begins a step: what it is given is what the row has come to. */
  enter(step: string): void {
    this.step = step;
    this.before = this.at;
  }
  /** What an earlier step was given. */
  givenTo(step: string): NodeSpec {
    return this.cells.find((cell) => cell.step === step)!.input;
  }
  /** Hands on what the step was given. */
  skip(warnings: string[] = []): void {
    this.cells.push({
      step: this.step,
      skipped: true,
      input: this.before,
      output: this.before,
      warnings,
    });
  }
  /** Hands on what the step was given, though the step counts as done. */
  pass(warnings: string[]): void {
    this.cells.push({
      step: this.step,
      skipped: false,
      input: this.before,
      output: this.before,
      warnings,
    });
  }
  /** Skips the step, yet goes on with another image than it was given. */
  replace(output: NodeSpec, warnings: string[]): void {
    this.at = output;
    this.before = output;
    this.skip(warnings);
  }
  /** Puts what the step makes into the row. @param tells nodes whose report belongs to the step */
  put(output: NodeSpec, warnings: string[] = [], tells: NodeSpec[] = []): void {
    this.cells.push({
      step: this.step,
      skipped: false,
      input: this.before,
      output,
      warnings,
      tells,
    });
    this.at = output;
  }
  /** Shows what the step makes, and hands on what it was given: the result stays as it was. */
  aside(output: NodeSpec): void {
    this.put(output);
    this.at = this.before;
  }
  /** Ends the row at this step. @throws InputError always */
  refuse(message: string, field: string, hint?: string): never {
    throw new InputError(message, field, hint);
  }
  /** Ends the row: the step keeps its place, what follows hands on what there was. */
  end(error: InputError): void {
    this.error = error;
    this.failedAt = this.step;
    this.skip();
  }

  get result(): ChainResult {
    return {
      cells: this.cells,
      result: this.at,
      error: this.error,
      ...(this.failedAt ? { failedAt: this.failedAt } : {}),
    };
  }
}
