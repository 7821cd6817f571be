import * as yup from "yup";
import { node } from "../../graph/node";
import { minimumPatchStep } from "../../graph/steps/limits";
import { hectares, number } from "../../text/number";
import type { LimitPart } from "./limit";
import { NEIGHBOURS, type Neighbours } from "./neighbours";

interface Kept {
  minPatchCells: number | null;
}
interface Own extends Partial<Neighbours> {
  minPatchCells: number;
}
/** Size that the smallest patch begins with, m². */
const USUAL_M2 = 5000;

/** Small patches leave. */
export const minimumPatch: LimitPart<"minimumPatch", Kept, Own> = {
  key: "minimumPatch",
  name: "Minimum patch",
  addedAs: "Minimum patch",
  help: "Smaller patches take the class most frequent along their border.",
  shape: {
    minPatchCells: yup.number().integer().min(2).max(1_000_000).nullable().defined(),
  },
  read: ({ minPatchCells, neighbours }) =>
    minPatchCells === null ? null : { minPatchCells, neighbours },
  write: (own) => own ?? { minPatchCells: null },
  offered: () => true,
  start: ({ cellM2 }) => ({ minPatchCells: Math.max(2, Math.round(USUAL_M2 / cellM2)) }),
  text: ({ minPatchCells }, cellM2) => `patch ≥ ${number(hectares(minPatchCells, cellM2), 2)} ha`,
  said: ({ minPatchCells, neighbours }) =>
    `patch ≥ ${minPatchCells} cells, ${neighbours}-neighbour`,
  work: {
    on: "classes",
    node: ({ minPatchCells, neighbours }, classes) =>
      node("limit.minimumPatch", { minCells: minPatchCells, neighbours }, classes),
  },
  fields: () => [
    {
      kind: "hectares",
      at: "minPatchCells",
      label: "At least",
      name: "Patch size in hectares",
      leastCells: 2,
    },
    NEIGHBOURS,
  ],
  graph: [minimumPatchStep],
};
