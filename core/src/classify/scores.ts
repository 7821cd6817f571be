import { byAngle, byOwnSpread, fromMeans } from "./distances";
import { type Forest, forestShares } from "./forest";
import { mahalanobisSquared, posteriors } from "./gaussian";
import { sharesByForest } from "./labelForest";
import { type Method, type Model, type SignatureModel, gaussiansOf, requireFits } from "./model";

/** What a method says of one cell. */
export interface Verdict {
  /** Places of the likeliest class and of the next, from nought; −1 where a value is none. */
  first: number;
  second: number;
  /**
   * How sure it is, 0 to 1: the probability of the first class; for distances one less the distance
   * to the first over that to the second.
   */
  confidence: number;
  /** From the first class: Mahalanobis' for maximum likelihood, else the method's; none of a forest. */
  distance: number;
}

/** Looks at cells one by one, in double precision. */
export interface Looker {
  /** Probability of each class, or distance from it. */
  scores: Float64Array;
  look(values: ArrayLike<number>): Verdict;
}

type Score = (values: ArrayLike<number>, out: Float64Array) => void;

function distancesFor(model: SignatureModel, method: Method): Score {
  const means = model.signatures.map(({ mean }) => mean);
  switch (method) {
    case "mahalanobis":
      return byOwnSpread(gaussiansOf(model));
    case "spectralAngle":
      return byAngle(means);
    default:
      return fromMeans(means);
  }
}

interface Scoring {
  score: Score;
  isDistance: boolean;
  /** From a class that was found, where the scores are no distances. */
  distance(place: number, values: ArrayLike<number>): number;
}

/** What gives probabilities, or distances. @throws InputError where model and method do not fit */
function scoringOf(model: Model, method: Method, priors: readonly number[]): Scoring {
  requireFits(model, method);
  if (model.kind === "forest") {
    const { forest } = model;
    return {
      score: (values, out) => forestShares(forest, values, out),
      isDistance: false,
      distance: () => NaN,
    };
  }
  if (method === "likelihood") {
    const classes = gaussiansOf(model);
    return {
      score: (values, out) => posteriors(classes, priors, values, out),
      isDistance: false,
      distance: (place, values) => Math.sqrt(mahalanobisSquared(classes[place]!, values)),
    };
  }
  return { score: distancesFor(model, method), isDistance: true, distance: () => NaN };
}

/** The best place of some scores besides one that is left out. */
function bestOf(scores: Float64Array, isDistance: boolean, besides: number): number {
  let best = -1;
  for (let k = 0; k < scores.length; k++) {
    const isBetter =
      best < 0 || (isDistance ? scores[k]! < scores[best]! : scores[k]! > scores[best]!);
    best = k !== besides && scores[k] === scores[k] && isBetter ? k : best;
  }
  return best;
}

/** How far the first class is ahead of the second by distance: nought where they are as far. */
const aheadBy = (first: number, second: number): number => (second > 0 ? 1 - first / second : 0);

/**
 * Looks at cells with a model.
 * @param priors as `normalPriors` gives them; of maximum likelihood only
 * @throws InputError where model and method do not fit, or an input is constant in every class
 */
export function lookerOf(model: Model, method: Method, priors: readonly number[]): Looker {
  const { score, isDistance, distance } = scoringOf(model, method, priors);
  const scores = new Float64Array(model.classes.length);
  return {
    scores,
    look(values) {
      score(values, scores);
      const found = bestTwo(scores, isDistance);
      const { first } = found;
      if (first >= 0) {
        found.distance = isDistance ? scores[first]! : distance(first, values);
      }
      return found;
    },
  };
}

/** What scores say of a cell; a distance from the first class is not among it. */
function bestTwo(scores: Float64Array, isDistance: boolean): Verdict {
  const first = bestOf(scores, isDistance, -1);
  const second = bestOf(scores, isDistance, first);
  if (first < 0) {
    return { first, second: -1, confidence: NaN, distance: NaN };
  }
  const best = scores[first]!;
  const confidence = isDistance && second >= 0 ? aheadBy(best, scores[second]!) : best;
  return { first, second, confidence, distance: NaN };
}

/** Takes what is found of a cell: its number, the verdict, and the scores by class. */
export type Visit = (cell: number, verdict: Verdict, scores: Float64Array) => void;

/** Cells whose shares are held at a time. */
const CHUNK = 1 << 14;

/** As a looker does, but many cells at once: a kernel takes them through the trees. */
function eachByForest(bands: readonly Float32Array[], forest: Forest, visit: Visit): void {
  const all = bands[0]!.length;
  const scores = new Float64Array(forest.classes);
  for (let from = 0; from < all; from += CHUNK) {
    const count = Math.min(CHUNK, all - from);
    const shares = Array.from({ length: forest.classes }, () => new Float32Array(count));
    sharesByForest(
      bands.map((band) => band.subarray(from, from + count)),
      forest,
      shares,
    );
    for (let i = 0; i < count; i++) {
      for (let k = 0; k < scores.length; k++) {
        scores[k] = shares[k]![i]!;
      }
      visit(from + i, bestTwo(scores, false), scores);
    }
  }
}

/**
 * Looks at all cells of an image with a model, as `lookerOf` does; shares of a forest to single
 * precision.
 * @param bands by input, cells in one order
 * @throws InputError as `lookerOf` does
 */
export function lookAtAll(
  bands: readonly Float32Array[],
  { model, method, priors }: { model: Model; method: Method; priors: readonly number[] },
  visit: Visit,
): void {
  requireFits(model, method);
  if (model.kind === "forest") {
    eachByForest(bands, model.forest, visit);
    return;
  }
  const looker = lookerOf(model, method, priors);
  const values = new Float64Array(bands.length);
  const all = bands[0]!.length;
  for (let cell = 0; cell < all; cell++) {
    for (let b = 0; b < bands.length; b++) {
      values[b] = bands[b]![cell]!;
    }
    visit(cell, looker.look(values), looker.scores);
  }
}
