import * as yup from "yup";
import { slopeStep } from "../../graph/steps/terrain";
import { number } from "../../text/number";
import type { LimitPart } from "./limit";

interface Kept {
  maxSlopeDeg: number | null;
}
interface Own {
  maxSlopeDeg: number;
}

/** Flat ground. */
export const slope: LimitPart<"slope", Kept, Own> = {
  key: "slope",
  name: "Slope",
  addedAs: "Slope",
  help: "Water lies flat. Dark hillsides in shadow are dropped; where there is no elevation nothing is.",
  shape: { maxSlopeDeg: yup.number().moreThan(0).max(90).nullable().defined() },
  read: ({ maxSlopeDeg }) => (maxSlopeDeg === null ? null : { maxSlopeDeg }),
  write: (own) => ({ maxSlopeDeg: own?.maxSlopeDeg ?? null }),
  offered: ({ hasElevation }) => hasElevation,
  start: () => ({ maxSlopeDeg: 5 }),
  text: ({ maxSlopeDeg }) => `slope ≤ ${number(maxSlopeDeg, maxSlopeDeg % 1 ? 1 : 0)}°`,
  said: ({ maxSlopeDeg }) => `slope ≤ ${number(maxSlopeDeg, 1)}°`,
  work: { on: "layer", layer: "slope", bound: ({ maxSlopeDeg }) => ({ max: maxSlopeDeg }) },
  fields: () => [
    {
      kind: "amount",
      at: "maxSlopeDeg",
      label: "At most",
      name: "Slope in degrees",
      unit: "°",
      min: 0.1,
      max: 90,
      step: 0.5,
      decimals: 1,
    },
  ],
  graph: [slopeStep],
};
