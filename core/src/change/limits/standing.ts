import * as yup from "yup";
import { InputError } from "../../errors";
import { node } from "../../graph/node";
import { alwaysStep } from "../../graph/steps/multi";
import { number } from "../../text/number";
import type { LimitPart } from "./limit";

/** What is so on all of these other dates as well was no change: cells of a class leave. */
interface Own {
  sceneIds: string[];
  op: "<" | ">";
  value: number;
  label: number;
}
interface Kept {
  standing?: Own | null;
}
/** Dates that are asked at the most. */
const MOST_DATES = 16;

/** Not so on other dates. */
export const standing: LimitPart<"standing", Kept, Own> = {
  key: "standing",
  name: "Other dates",
  addedAs: "Not so on other dates",
  help: "Cells of a class leave where all of these dates that show the place are below or above the value as well: water that stands there anyway.",
  shape: {
    standing: yup
      .object({
        sceneIds: yup.array(yup.string().uuid().required()).min(1).max(MOST_DATES).required(),
        op: yup
          .string()
          .oneOf(["<", ">"] as const)
          .required(),
        value: yup.number().min(-1e6).max(1e6).required(),
        label: yup.number().integer().min(1).max(254).required(),
      })
      .noUnknown()
      .nullable()
      .default(undefined),
  },
  read: (limits) => limits.standing ?? null,
  write: (own) => ({ standing: own }),
  offered: ({ others, classes }) => others.length > 0 && classes.length > 0,
  start: ({ others, start, classes }) => ({
    sceneIds: others.slice(0, MOST_DATES).map((other) => other.id),
    ...start,
    label: classes[0]!.label,
  }),
  text: ({ sceneIds }) =>
    `not so on ${sceneIds.length} other ${sceneIds.length === 1 ? "date" : "dates"}`,
  said: ({ op, value, sceneIds }) =>
    `not ${op} ${number(value, 1)} on ${sceneIds.length} other dates`,
  work: {
    on: "layer",
    layer: "standing",
    bound: ({ label }) => ({ max: 0.5, labels: [label] }),
    node({ sceneIds, op, value }, { inputs, dateOf }) {
      const dates = sceneIds.map((id) => {
        const side = inputs.others?.[id];
        if (!side) {
          throw new InputError(
            "A date that tells what stands there anyway is not in the study or not ready",
            "limits.standing",
            "Take it out of the limit.",
          );
        }
        return dateOf(side);
      });
      return node("mask.always", { op, value }, ...dates);
    },
  },
  fields: (_own, { others, classes, unit }) => [
    {
      kind: "someOf",
      at: "sceneIds",
      label: "Other dates",
      options: others.map(({ id, name }) => ({ value: id, name })),
    },
    {
      kind: "choice",
      at: "op",
      label: "Side",
      options: [
        { value: "<", name: "below" },
        { value: ">", name: "above" },
      ],
    },
    {
      kind: "amount",
      at: "value",
      label: "Value",
      name: "Value on the other dates",
      unit: unit.unit,
      min: -1e4,
      max: 1e4,
      step: unit.step,
      decimals: unit.decimals,
    },
    {
      kind: "pick",
      at: "label",
      label: "Drops",
      name: "Class that is dropped",
      options: classes.map(({ label, name }) => ({ value: label, name })),
    },
  ],
  graph: [alwaysStep],
};
