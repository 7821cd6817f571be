import { type Transitions, classesOfTransitions } from "../change/transitions";
import { placesOf, transitionOf } from "../cover/coverClass";

/** Probabilities of the classes of one date. */
export interface DateProbabilities {
  /** Labels of the date's own legend. */
  labels: readonly number[];
  /** In their order, by cell. */
  probabilities: readonly Float32Array[];
}

/** Probabilities of the classes that both dates have in common; what is in none of them is left out. */
function inCommon(
  { labels, probabilities }: DateProbabilities,
  places: Uint8Array,
  count: number,
): Float32Array[] {
  const cells = probabilities[0]?.length ?? 0;
  const out = Array.from({ length: count }, () => new Float32Array(cells));
  labels.forEach((label, k) => {
    const place = places[label]!;
    if (place > 0) {
      const from = probabilities[k]!;
      const to = out[place - 1]!;
      for (let i = 0; i < cells; i++) {
        to[i]! += from[i]!;
      }
    }
  });
  return out;
}

/**
 * Probabilities of the classes of a from–to map: of each transition that of what the ground was times that
 * of what it became, as if mistakes of one date had nothing to do with those of the other.
 * @returns no class first (label 0), then the classes of the map; NaN where a date has no class
 */
export function transitionProbabilities(
  transitions: Transitions,
  before: DateProbabilities,
  after: DateProbabilities,
): { labels: number[]; probabilities: Float32Array[] } {
  const { classes } = transitions;
  const count = classes.length;
  const was = inCommon(before, placesOf(classes, "before"), count);
  const is = inCommon(after, placesOf(classes, "after"), count);
  const cells = was[0]?.length ?? 0;
  const none = new Float32Array(cells).fill(1);
  const shown = classesOfTransitions(transitions);
  const probabilities = shown.map(({ groups }) => {
    const out = new Float32Array(cells);
    for (const group of groups) {
      const { from, to } = transitionOf(group, count);
      for (let i = 0; i < cells; i++) {
        out[i]! += was[from]![i]! * is[to]![i]!;
      }
    }
    for (let i = 0; i < cells; i++) {
      none[i]! -= out[i]!;
    }
    return out;
  });
  // What is left of one after many are taken away may be rounding below nought.
  const left = none.map((value) => (value < 0 ? 0 : value));
  return {
    labels: [0, ...shown.map(({ label }) => label)],
    probabilities: [left, ...probabilities],
  };
}
