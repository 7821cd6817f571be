import * as yup from "yup";
import { node } from "../../graph/node";
import { majorityStep } from "../../graph/steps/limits";
import type { LimitPart } from "./limit";

interface Kept {
  majorityCells?: number | null;
}
interface Own {
  majorityCells: number;
}
const OFFERED = [3, 5, 7, 9];
const said = ({ majorityCells: cells }: Own): string => `majority of ${cells} × ${cells}`;

/** The most frequent class around. */
export const majority: LimitPart<"majority", Kept, Own> = {
  key: "majority",
  name: "Majority",
  addedAs: "Majority",
  help: "Each cell takes the class that is most frequent in the window around it; of equal ones its own.",
  shape: { majorityCells: yup.number().oneOf([3, 5, 7, 9, 11]).nullable() },
  read: ({ majorityCells }) => (majorityCells ? { majorityCells } : null),
  write: (own) => ({ majorityCells: own?.majorityCells ?? null }),
  offered: () => true,
  start: () => ({ majorityCells: 3 }),
  text: said,
  said,
  work: {
    on: "classes",
    node: ({ majorityCells }, classes) =>
      node("limit.majority", { windowCells: majorityCells }, classes),
  },
  fields: () => [
    {
      kind: "choice",
      at: "majorityCells",
      label: "Window",
      options: OFFERED.map((value) => ({ value, name: `${value} × ${value}` })),
    },
  ],
  graph: [majorityStep],
};
