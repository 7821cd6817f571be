import * as yup from "yup";
import { type GroupClass, type GroupParams, groupShape } from "../graph/steps/groups";
import type { LegendClass } from "./settings";

/** Stands for all dates together, where groups are of a stack of them. */
export const STACK = "stack";

/** Groups of like cells that are given to classes of the legend, in place of training. */
export interface Unsupervised {
  /** Groups of each date by itself, or of all of them together. */
  of: "date" | typeof STACK;
  params: GroupParams;
  /** By date, or of the stack: by group the label of the class that it was given to. */
  given: Record<string, Record<string, number>>;
}

/** What a study that groups for the first time begins with. */
export const firstUnsupervised = (): Unsupervised => ({
  of: "date",
  params: {
    ...{ method: "kMeans", groups: 8, seed: 1 },
    ...{ splitSpread: 1, mergeDistance: 0.8, leastShare: 0.01 },
  },
  given: {},
});

const isGiven = (value: unknown): value is Unsupervised["given"] =>
  typeof value === "object" &&
  value !== null &&
  Object.values(value).every(
    (groups: unknown) =>
      typeof groups === "object" &&
      groups !== null &&
      Object.entries(groups).every(
        ([group, label]: [string, unknown]) =>
          Number.isInteger(Number(group)) &&
          Number.isInteger(label) &&
          Number(label) >= 1 &&
          Number(label) <= 254,
      ),
  );

/** Schema of such settings. */
export const unsupervisedSchema: yup.ObjectSchema<Unsupervised> = yup
  .object({
    of: yup
      .string()
      .oneOf(["date", STACK] as const)
      .required(),
    params: yup.object(groupShape).noUnknown().required(),
    given: yup.mixed<Unsupervised["given"]>(isGiven).required(),
  })
  .noUnknown();

/** Classes of a legend with the groups that were given to them; those without a group are left out. */
export const classesOfGroups = (
  legend: readonly LegendClass[],
  given: Readonly<Record<string, number>>,
): GroupClass[] =>
  legend.flatMap(({ label, name, color }) => {
    const groups = Object.keys(given)
      .filter((group) => given[group] === label)
      .map(Number)
      .sort((a, b) => a - b);
    return groups.length > 0 ? [{ label, name, color, groups }] : [];
  });
