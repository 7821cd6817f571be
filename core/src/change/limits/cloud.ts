import * as yup from "yup";
import { cloudMaskStep } from "../../graph/steps/masks";
import { eitherStep } from "../../graph/steps/multi";
import { onEither } from "./either";
import type { LimitPart } from "./limit";

/** Cloud and its shadow on either date, by the quality bands. */
interface Kept {
  cloud?: boolean | null;
}

/** No cloud or its shadow. */
export const cloud: LimitPart<"cloud", Kept, object> = {
  key: "cloud",
  name: "Cloud",
  addedAs: "Cloud",
  help: "Classes are dropped where the quality band of either date says cloud, its rim, cirrus or cloud shadow.",
  shape: { cloud: yup.boolean().nullable() },
  read: (limits) => (limits.cloud ? {} : null),
  write: (own) => ({ cloud: own ? true : null }),
  offered: ({ hasCloud }) => hasCloud,
  start: () => ({}),
  text: () => "no cloud or its shadow",
  said: () => "no cloud or its shadow",
  work: {
    on: "layer",
    layer: "cloud",
    bound: () => ({ max: 0.5 }),
    node: (_own, { inputs, grid }) =>
      onEither([inputs.before.cloud ?? null, inputs.after.cloud ?? null], grid, {
        message: "Neither date has a quality band that could tell cloud",
        field: "limits.cloud",
        hint: "Take this limit away, or mask cloud by brightness in Prepare.",
      }),
  },
  fields: () => [],
  graph: [cloudMaskStep, eitherStep],
};
