import * as yup from "yup";
import { classFields } from "../change/classFields";
import { plainName } from "../change/twinNames";
import { type CoverClass, type Transition, changesOf } from "./coverClass";

/** A transition by the names of its classes. */
export interface NamedTransition {
  from: string;
  to: string;
}

/** Schema of such a transition. */
export const namedTransitionSchema = yup
  .object({ from: classFields.name, to: classFields.name })
  .noUnknown()
  .required();

const BUILT = /\b(town|city|urban|built|building|settlement|houses?|road)/i;
const BURNED = /\bburn(ed|t)?\b/i;
const WATER = /\b(water|lake|river|reservoir|sea)\b/i;

/** Whether a transition hardly happens, by what its classes are called. */
const isHardly = (from: string, to: string): boolean =>
  (BUILT.test(from) && !BUILT.test(to)) || (BURNED.test(from) && WATER.test(to));

const namesOf = ({ from, to }: Transition, classes: readonly CoverClass[]): NamedTransition => ({
  from: classes[from]!.name,
  to: classes[to]!.name,
});

/** Transitions that hardly happen, as far as names tell: what is built stays, what burned is not wet. */
export const proposedUnlikely = (classes: readonly CoverClass[]): NamedTransition[] =>
  changesOf(classes)
    .map((change) => namesOf(change, classes))
    .filter(({ from, to }) => isHardly(from, to));

const isSame = (one: NamedTransition, other: NamedTransition): boolean =>
  plainName(one.from) === plainName(other.from) && plainName(one.to) === plainName(other.to);

/** A list with a transition on it, or without it. */
export const withUnlikely = (
  all: readonly NamedTransition[],
  one: NamedTransition,
  isOn: boolean,
): NamedTransition[] => [...all.filter((other) => !isSame(one, other)), ...(isOn ? [one] : [])];

/** Labels of the transitions between classes that are on a list; names as in `plainName`. */
export const unlikelyLabels = (
  classes: readonly CoverClass[],
  all: readonly NamedTransition[],
): number[] =>
  changesOf(classes)
    .filter((change) => all.some((one) => isSame(one, namesOf(change, classes))))
    .map(({ label }) => label);
