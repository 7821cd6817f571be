import { variancesWithin } from "./gaussian";
import { separability } from "./separability";
import type { Signature } from "./signature";

/** An input in the order of what it adds, with how far the classes lie apart by it and those before. */
export interface RankedInput {
  /** Place of the input. */
  input: number;
  /** Jeffries–Matusita distance, 0 to 2: over all pairs of classes, and of the pair that is least apart. */
  mean: number;
  least: number;
}

/** Inputs that are ranked at the most; what comes after adds next to nothing. */
const MOST_RANKED = 12;

/** A signature of some inputs only. */
function partOf({ count, mean, covariance }: Signature, inputs: readonly number[]): Signature {
  const all = mean.length;
  return {
    count,
    mean: Float64Array.from(inputs, (b) => mean[b]!),
    covariance: Float64Array.from(
      inputs.flatMap((a) => inputs.map((b) => covariance[a * all + b]!)),
    ),
  };
}

/** How far the classes lie apart by some inputs. */
function apartBy(signatures: readonly Signature[], inputs: readonly number[]) {
  const parts = signatures.map((one) => partOf(one, inputs));
  const within = variancesWithin(parts);
  const all = parts.flatMap((one, k) =>
    parts.slice(k + 1).map((other) => separability(one, other, within).jeffriesMatusita),
  );
  return { mean: all.reduce((sum, one) => sum + one, 0) / all.length, least: Math.min(...all) };
}

/**
 * Inputs in the order of what each adds to those before it: the one after which the classes lie
 * farthest apart, over all pairs, comes next (sequential forward selection).
 * @param signatures of two classes or more, no input constant in all of them
 */
export function rankInputs(signatures: readonly Signature[]): RankedInput[] {
  const left = new Set([...signatures[0]!.mean.keys()]);
  const ranked: RankedInput[] = [];
  while (left.size > 0 && ranked.length < MOST_RANKED) {
    const before = ranked.map(({ input }) => input);
    const candidates = [...left].map((input): RankedInput => ({
      input,
      ...apartBy(signatures, [...before, input]),
    }));
    const next = candidates.reduce((best, one) => (one.mean > best.mean ? one : best));
    left.delete(next.input);
    ranked.push(next);
  }
  return ranked;
}
