import * as yup from "yup";
import { classFields } from "../change/classFields";

/** A class that two classified dates have in common: which of their labels belong to it. */
export interface CoverClass {
  name: string;
  color: string;
  /** Labels of the before date, and of the after date; one of them may have none. */
  before: number[];
  after: number[];
}

/** Classes at the most: every class to every class must have a label of its own in one byte. */
export const MOST_COVER = 15;

const labels = yup.array(yup.number().integer().min(1).max(254).required()).max(254).required();

/** A label that two classes claim, or null. */
function claimedTwice(classes: readonly CoverClass[], side: "before" | "after"): number | null {
  const all = classes.flatMap((one) => one[side]);
  return all.find((label, k) => all.indexOf(label) !== k) ?? null;
}

/** Schema of classes in common: no label belongs to two of them. */
export const coverClassesSchema: yup.ArraySchema<CoverClass[], yup.AnyObject> = yup
  .array(
    yup
      .object({
        name: classFields.name,
        color: classFields.color,
        before: labels,
        after: labels,
      })
      .noUnknown()
      .required(),
  )
  .min(1, "Two dates without a class in common cannot be compared: pair their classes")
  .max(MOST_COVER, `At most ${MOST_COVER} classes: merge some`)
  .required()
  .test("once", "A class of a date is paired twice", (value) => {
    const classes = value ?? [];
    return claimedTwice(classes, "before") === null && claimedTwice(classes, "after") === null;
  });

/** Which class every label of a date belongs to, by its place from one; nought: none. */
export function placesOf(classes: readonly CoverClass[], side: "before" | "after"): Uint8Array {
  const out = new Uint8Array(256);
  classes.forEach((one, k) => one[side].forEach((label) => (out[label] = k + 1)));
  return out;
}

/** Label of what was one class and became another, by their places among so many. */
export const transitionLabel = (from: number, to: number, count: number): number =>
  from * count + to + 1;

/** Places of both classes of such a label. */
export const transitionOf = (label: number, count: number): { from: number; to: number } => ({
  from: Math.floor((label - 1) / count),
  to: (label - 1) % count,
});

/** What ground was and became: places of both classes, the label of a map of both, and its name. */
export interface Transition {
  from: number;
  to: number;
  label: number;
  name: string;
}

/** Every change from a class to another. */
export const changesOf = (classes: readonly CoverClass[]): Transition[] =>
  classes.flatMap((was, from) =>
    classes.flatMap((is, to) => {
      const label = transitionLabel(from, to, classes.length);
      return from === to ? [] : [{ from, to, label, name: `${was.name} to ${is.name}` }];
    }),
  );
