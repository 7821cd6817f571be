import type { CoverClass } from "../cover/coverClass";
import type { ClassInfo } from "../graph/image";
import { type NodeSpec, node } from "../graph/node";
import type { Smoothing } from "./settings";

/** Labels with lone cells cleaned; the same node where nothing is asked for. */
export function smoothed(labels: NodeSpec, smoothing: Smoothing | null | undefined): NodeSpec {
  if (!smoothing) {
    return labels;
  }
  const { majorityCells, minPatchCells, neighbours } = smoothing;
  const even = majorityCells
    ? node("limit.majority", { windowCells: majorityCells }, labels)
    : labels;
  return minPatchCells
    ? node("limit.minimumPatch", { minCells: minPatchCells, neighbours }, even)
    : even;
}

/** The classes of one map as those that it has in common with itself, smoothed. */
export const sameClasses = (classes: readonly ClassInfo[]): CoverClass[] =>
  classes.map(({ label, name, color }) => ({ name, color, before: [label], after: [label] }));
