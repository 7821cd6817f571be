import * as yup from "yup";
import { number } from "../../text/number";
import type { LimitPart } from "./limit";

/** Lowest and highest ground, metres; null at either end: no limit there. */
interface Range {
  min: number | null;
  max: number | null;
}
interface Kept {
  elevationM?: Range | null;
}
const LOWEST_M = -500;
const HIGHEST_M = 9000;
const end = yup.number().min(LOWEST_M).max(HIGHEST_M).nullable().defined();

function text({ min, max }: Range): string {
  const ends = [
    ...(min !== null ? [`≥ ${number(min)} m`] : []),
    ...(max !== null ? [`≤ ${number(max)} m`] : []),
  ];
  return `elevation ${ends.join(", ") || "without ends"}`;
}

/** Between two heights. */
export const elevation: LimitPart<"elevation", Kept, Range> = {
  key: "elevation",
  name: "Elevation",
  addedAs: "Elevation",
  help: "Classes are dropped on lower and on higher ground.",
  shape: {
    elevationM: yup
      .object({ min: end, max: end })
      .noUnknown()
      .nullable()
      .default(undefined)
      .test(
        "order",
        "the lowest elevation must lie below the highest",
        (value) => !value || value.min == null || value.max == null || value.min < value.max,
      ),
  },
  read: (limits) => limits.elevationM ?? null,
  write: (own) => ({ elevationM: own }),
  offered: ({ hasElevation }) => hasElevation,
  start: () => ({ min: null, max: 100 }),
  text,
  said: ({ min, max }) => `elevation ${min ?? "…"} to ${max ?? "…"} m`,
  work: {
    on: "layer",
    layer: "elevation",
    bound: (own) => (own.min === null && own.max === null ? null : own),
  },
  fields: (own) => [
    {
      kind: "openEnd",
      at: "min",
      label: "From",
      unit: "m",
      min: LOWEST_M,
      max: own.max ?? HIGHEST_M,
      usual: 0,
    },
    {
      kind: "openEnd",
      at: "max",
      label: "To",
      unit: "m",
      min: own.min ?? LOWEST_M,
      max: HIGHEST_M,
      usual: 100,
    },
  ],
  graph: [],
};
