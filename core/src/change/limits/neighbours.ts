import type { Field } from "../../form/fields";

/** Whether cells that meet at a corner belong together. Two limits have it in common. */
export interface Neighbours {
  neighbours: 4 | 8;
}

/** The field in which it is chosen. */
export const NEIGHBOURS: Field = {
  kind: "choice",
  at: "neighbours",
  label: "Neighbours",
  options: [
    { value: 4, name: "4: sides only" },
    { value: 8, name: "8: corners too" },
  ],
};
