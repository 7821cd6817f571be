import * as yup from "yup";
import { aboveDrainageStep } from "../../graph/steps/terrain";
import { number } from "../../text/number";
import { DRAINAGE_KM2 } from "../layers";
import type { LimitPart } from "./limit";

/**
 * Highest ground above the drainage it goes to; `leastKm2`: area that drains through a place for it
 * to be drainage.
 */
interface Own {
  maxM: number;
  leastKm2: number;
}
interface Kept {
  drainage?: Own | null;
}

/** Low ground over the water that it drains to. */
export const drainage: LimitPart<"drainage", Kept, Own> = {
  key: "drainage",
  name: "Height above drainage",
  addedAs: "Height above drainage",
  help: "Height of the ground above the water that it drains to, from the elevation. Floods reach what lies low over a river, however high the river is.",
  shape: {
    drainage: yup
      .object({
        maxM: yup.number().min(0).max(9000).required(),
        leastKm2: yup.number().min(0.001).max(100_000).required(),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
  },
  read: (limits) => limits.drainage ?? null,
  write: (own) => ({ drainage: own }),
  offered: ({ hasElevation }) => hasElevation,
  start: () => ({ maxM: 15, leastKm2: DRAINAGE_KM2 }),
  text: ({ maxM }) => `≤ ${number(maxM, maxM % 1 ? 1 : 0)} m above drainage`,
  said: ({ maxM, leastKm2 }) =>
    `≤ ${number(maxM, 1)} m above drainage of ${number(leastKm2, 2)} km² or more`,
  work: { on: "layer", layer: "drainage", bound: ({ maxM }) => ({ max: maxM }) },
  fields: () => [
    {
      kind: "amount",
      at: "maxM",
      label: "At most",
      name: "Metres above drainage",
      unit: "m",
      min: 0,
      max: 9000,
      step: 1,
      decimals: 1,
    },
    {
      kind: "amount",
      at: "leastKm2",
      label: "A river drains",
      name: "Area that makes a river, square kilometres",
      unit: "km² or more",
      min: 0.01,
      max: 100_000,
      step: 0.5,
      decimals: 2,
    },
  ],
  graph: [aboveDrainageStep],
};
