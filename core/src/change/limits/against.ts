import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import { againstStep } from "../../graph/steps/second";
import type { LimitPart } from "./limit";

/** Cells leave where the second sensor looked and does not confirm them. */
interface Kept {
  against?: boolean | null;
}

/** Not where the second sensor says no. */
export const against: LimitPart<"against", Kept, object> = {
  key: "against",
  name: "Not confirmed",
  addedAs: "Not confirmed by the second sensor",
  help: "Cells of the classes that the second sensor is asked about leave where it looked and does not confirm them. Where it could not look they stay.",
  shape: { against: yup.boolean().nullable() },
  read: (limits) => (limits.against ? {} : null),
  write: (own) => ({ against: own ? true : null }),
  offered: ({ hasSecond }) => hasSecond,
  start: () => ({}),
  text: () => "not where the second sensor says no",
  said: () => "without cells that the second sensor saw and did not confirm",
  work: {
    on: "classes",
    node(_own, classes, asked) {
      if (!asked) {
        throw new InputError(
          "The limit Not confirmed needs a second sensor that is asked about classes",
          "limits.against",
          "Set under Second sensor what confirms which classes, or take this limit away.",
        );
      }
      const { layer: _layer, node: image, ...params } = asked;
      return node("limit.against", params, classes, image);
    },
  },
  fields: () => [],
  graph: [againstStep],
};
