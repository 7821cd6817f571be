import * as yup from "yup";
import { node } from "../../graph/node";
import { holesStep } from "../../graph/steps/limits";
import { hectares, number } from "../../text/number";
import type { LimitPart } from "./limit";
import { NEIGHBOURS, type Neighbours } from "./neighbours";

/** The largest hole that is filled. */
interface Kept {
  holeCells?: number | null;
}
interface Own extends Partial<Neighbours> {
  holeCells: number;
}
/** Size that a hole begins with, m². */
const USUAL_M2 = 2500;

/** Holes in a class take it. */
export const holes: LimitPart<"holes", Kept, Own> = {
  key: "holes",
  name: "Holes",
  addedAs: "Holes",
  help: "Ground of no class that a class encloses on all sides takes that class. What touches the edge or nodata stays.",
  shape: { holeCells: yup.number().integer().min(1).max(1_000_000).nullable() },
  read: ({ holeCells, neighbours }) => (holeCells ? { holeCells, neighbours } : null),
  write: (own) => own ?? { holeCells: null },
  offered: () => true,
  start: ({ cellM2 }) => ({ holeCells: Math.max(1, Math.round(USUAL_M2 / cellM2)) }),
  text: ({ holeCells }, cellM2) => `holes ≤ ${number(hectares(holeCells, cellM2), 2)} ha filled`,
  said: ({ holeCells }) => `holes up to ${holeCells} cells filled`,
  work: {
    on: "classes",
    node: ({ holeCells, neighbours }, classes) =>
      node("limit.holes", { maxCells: holeCells, neighbours }, classes),
  },
  fields: () => [
    {
      kind: "hectares",
      at: "holeCells",
      label: "Up to",
      name: "Hole size in hectares",
      leastCells: 1,
    },
    NEIGHBOURS,
  ],
  graph: [holesStep],
};
