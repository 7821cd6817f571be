import type { CoverClass } from "../cover/coverClass";
import type { ClassInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import type { Smoothing } from "./settings";

/** Labels after the window that is asked for. */
function afterWindow(
  labels: NodeSpec,
  { majorityCells: windowCells, weighted }: Smoothing,
  probabilities: NodeSpec | null,
): NodeSpec {
  if (windowCells === null) {
    return labels;
  }
  return weighted && probabilities
    ? node("classify.weightedMode", { windowCells }, labels, probabilities)
    : node("limit.majority", { windowCells }, labels);
}

/**
 * Labels with lone cells cleaned: by the window, then by size, then holes filled; the same node where
 * nothing is asked for.
 * @param probabilities of the classes; null where the method gives none: a window counts cells then
 */
export function smoothed(
  labels: NodeSpec,
  smoothing: Smoothing | null | undefined,
  probabilities: NodeSpec | null,
): NodeSpec {
  if (!smoothing) {
    return labels;
  }
  const { minPatchCells, holeCells, neighbours } = smoothing;
  const even = afterWindow(labels, smoothing, probabilities);
  const large = minPatchCells
    ? node("limit.minimumPatch", { minCells: minPatchCells, neighbours }, even)
    : even;
  return holeCells ? node("limit.holes", { maxCells: holeCells, neighbours }, large) : large;
}

/** The classes of one map as those that it has in common with itself, smoothed. */
export const sameClasses = (classes: readonly ClassInfo[]): CoverClass[] =>
  classes.map(({ label, name, color }) => ({ name, color, before: [label], after: [label] }));
