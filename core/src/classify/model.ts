import { InputError } from "../errors";
import { chiSquareAbove } from "../change/chiSquare";
import type { Forest } from "./forest";
import { type GaussianClass, gaussianOf, variancesWithin } from "./gaussian";
import type { Signature } from "./signature";

/** One class as a model knows it. */
export interface ModelClass {
  /** As in the legend, 1 to 254. */
  label: number;
  name: string;
  color: string;
}

interface Trained {
  classes: readonly ModelClass[];
  /** Names of the inputs that it was trained on, in their order. */
  inputs: readonly string[];
}

/** Means and covariances of the classes: for maximum likelihood, and for every distance. */
export interface SignatureModel extends Trained {
  kind: "signatures";
  signatures: readonly Signature[];
}

/** A random forest. */
export interface ForestModel extends Trained {
  kind: "forest";
  forest: Forest;
}

/** What training gives: it can be applied to any image with the same inputs. */
export type Model = SignatureModel | ForestModel;

/** How a model is applied to cells. */
export const METHODS = [
  "likelihood",
  "mahalanobis",
  "minimumDistance",
  "spectralAngle",
  "forest",
] as const;
export type Method = (typeof METHODS)[number];

/** Names of the methods. */
export const METHOD_NAMES: Record<Method, string> = {
  likelihood: "Maximum likelihood",
  mahalanobis: "Mahalanobis distance",
  minimumDistance: "Minimum distance",
  spectralAngle: "Spectral angle",
  forest: "Random forest",
};

/** @throws InputError where a model is not what a method works with */
export function requireFits(model: Model, method: Method): void {
  const needed = method === "forest" ? "forest" : "signatures";
  if (model.kind !== needed) {
    throw new InputError(
      `${METHOD_NAMES[method]} does not work with this model: it holds ${model.kind === "forest" ? "trees" : "means and covariances"}`,
      "method",
      "Train it anew for this method.",
    );
  }
}

/** The classes of a model as normal distributions. @throws InputError naming a constant input */
export function gaussiansOf({ signatures }: SignatureModel): GaussianClass[] {
  const within = variancesWithin(signatures);
  return signatures.map((signature) => gaussianOf(signature, within));
}

/**
 * Squared Mahalanobis distance beyond which so small a share of a class's own cells lies.
 * @param share above nought, below one
 * @param inputs number of them: the degrees of freedom
 */
export function farthest(share: number, inputs: number): number {
  let [near, far] = [0, 1];
  while (chiSquareAbove(far, inputs) > share) {
    far *= 2;
  }
  for (let halving = 0; halving < 100 && far - near > 1e-12 * far; halving++) {
    const middle = (near + far) / 2;
    if (chiSquareAbove(middle, inputs) > share) {
      near = middle;
    } else {
      far = middle;
    }
  }
  return far;
}
