import type * as yup from "yup";
import { InputError, messageOf } from "../errors";
import type { NodeSpec } from "../graph/node";

/** Sensor families: each has a chain of its own, and one chain serves all dates of a family. */
export const FAMILIES = ["radar", "optical"] as const;
export type Family = (typeof FAMILIES)[number];

/** A chain: settings by step, each of which can be skipped. */
export type Chain = Record<string, { on: boolean }>;
/** Settings that a date has of its own, by scene and step. */
export type Exceptions = Record<string, Record<string, Record<string, unknown>>>;

/**
 * One cell of the board: what a step gives for a scene, and what it was given. Skipped steps hand
 * on.
 */
export interface ChainCell<S extends string = string> {
  step: S;
  skipped: boolean;
  input: NodeSpec;
  output: NodeSpec;
  warnings: string[];
  /** Nodes inside the step that have something to tell, see Step.report. */ tells?: NodeSpec[];
}

/**
 * What a chain makes of one scene: its cells, its result, and why it cannot go on where it cannot.
 */
export interface ChainResult<S extends string = string> {
  cells: ChainCell<S>[];
  result: NodeSpec;
  error: InputError | null;
  /** The step that refused. */ failedAt?: S;
}

/** The settings of one date: those of every date, and its own over them. */
export const settingsOf = <C>(
  steps: readonly string[],
  chain: C,
  exceptions: Exceptions,
  sceneId: string,
): C =>
  Object.fromEntries(
    steps.map((step) => [
      step,
      { ...(chain as Record<string, object>)[step], ...exceptions[sceneId]?.[step] },
    ]),
  ) as unknown as C;

/**
 * Checks exceptions by laying each over the chain. @param common settings, by step, that no date
 * can have of its own. @throws InputError naming scene and field
 */
export function checkedExceptions<C extends object>(
  steps: readonly string[],
  schema: yup.ObjectSchema<C>,
  chain: C,
  exceptions: unknown,
  common: Record<string, { field: string; why: string }>,
): Exceptions {
  if (typeof exceptions !== "object" || exceptions === null || Array.isArray(exceptions)) {
    throw new InputError("Exceptions must be given by scene", "exceptions");
  }
  for (const [scene, e] of Object.entries(exceptions as Exceptions)) {
    for (const k of Object.keys(e ?? {})) {
      if (!steps.includes(k)) {
        throw new InputError(`There is no step called "${k}"`, `exceptions.${scene}`);
      }
    }
    try {
      schema.validateSync(settingsOf(steps, chain, exceptions as Exceptions, scene), {
        strict: true,
      });
    } catch (error) {
      throw new InputError(messageOf(error), `exceptions.${scene}`);
    }
    for (const [step, c] of Object.entries(common)) {
      if (e?.[step] && c.field in e[step]) {
        throw new InputError(c.why, `exceptions.${scene}.${step}.${c.field}`);
      }
    }
  }
  return exceptions as Exceptions;
}
