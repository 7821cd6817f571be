import * as yup from "yup";
import { type CoverClass, changesOf, coverClassesSchema } from "../cover/coverClass";
import type { FromToTable } from "../cover/fromToTable";
import { type NamedTransition, unlikelyLabels } from "../cover/unlikely";
import type { GroupClass } from "../graph/steps/groups";

/** What the classes of a from–to map say: what became of what, what it was, or that it changed. */
export const TRANSITIONS_SHOWN = ["transition", "initial", "changed"] as const;
/** One of those. */
export type TransitionsShown = (typeof TRANSITIONS_SHOWN)[number];

/** Classes out of two classified dates: what ground was and became. */
export interface Transitions {
  /** The classified scenes. */
  beforeId: string;
  afterId: string;
  /** Which of their classes mean the same. */
  classes: CoverClass[];
  show: TransitionsShown;
  /** Labels of the transitions that count, as `transitionLabel` gives them; the others are no change. */
  kept: number[];
  /** Those among them that hardly happen, to be looked at first. */
  unlikely: number[];
}

/** Which two maps are compared, by which classes. */
export type TransitionsOf = Pick<Transitions, "beforeId" | "afterId" | "classes">;

/**
 * Settings of a map of the transitions that a table has ground of, with those among them that hardly
 * happen. A transition of fewer cells than the least patch of a map is left out: none of it would stay.
 */
export function transitionsThere(
  pair: TransitionsOf,
  { cells }: Pick<FromToTable, "cells">,
  {
    show,
    unlikely,
    leastCells = 1,
  }: { show: TransitionsShown; unlikely: readonly NamedTransition[]; leastCells?: number },
): Transitions {
  const there = changesOf(pair.classes).filter(
    ({ from, to }) => cells[from]![to]!.cells >= leastCells,
  );
  const kept = there.map(({ label }) => label);
  return {
    ...{ beforeId: pair.beforeId, afterId: pair.afterId, classes: pair.classes },
    ...{ show, kept },
    unlikely: unlikelyLabels(pair.classes, unlikely).filter((label) => kept.includes(label)),
  };
}

const labels = yup.array(yup.number().integer().min(1).max(254).required()).max(254).required();

/** Schema of such settings. */
export const transitionsSchema = yup
  .object({
    beforeId: yup.string().uuid().required(),
    afterId: yup.string().uuid().required(),
    classes: coverClassesSchema,
    show: yup.string().oneOf(TRANSITIONS_SHOWN).required(),
    kept: labels,
    unlikely: labels,
  })
  .noUnknown();

/** Colour of what changed, whatever it became. */
const CHANGED_COLOUR = "#b9562b";

const channels = (color: string): number[] =>
  [1, 3, 5].map((at) => Number.parseInt(color.slice(at, at + 2), 16));

/** How far a colour is darkened and lightened at the most, towards black and white. */
const DARKER = 0.4;
const LIGHTER = 0.45;

/** A colour by its place among others of its hue: from dark to light; alone as it is. */
function shaded(color: string, place: number, count: number): string {
  const at = count === 1 ? 0 : -DARKER + ((DARKER + LIGHTER) * place) / (count - 1);
  const end = at < 0 ? 0 : 255;
  const mixed = channels(color).map((value) => Math.round(value + (end - value) * Math.abs(at)));
  return `#${mixed.map((value) => value.toString(16).padStart(2, "0")).join("")}`;
}

/**
 * The classes of a from–to map, each with the transitions that it is made of. Where nothing counts
 * there is one class without any, so that the map is empty and not none.
 */
export function classesOfTransitions({ classes, show, kept }: Transitions): GroupClass[] {
  const counted = changesOf(classes).filter(({ label }) => kept.includes(label));
  const changed = (groups: number[]): GroupClass => ({
    ...{ label: 1, name: "Changed", color: CHANGED_COLOUR, groups },
  });
  if (show === "changed" || counted.length === 0) {
    return [changed(counted.map(({ label }) => label))];
  }
  if (show === "initial") {
    return classes.flatMap(({ name, color }, from) => {
      const groups = counted.filter((one) => one.from === from).map(({ label }) => label);
      return groups.length > 0 ? [{ label: from + 1, name: `Was ${name}`, color, groups }] : [];
    });
  }
  return counted.map(({ from, to, label, name }) => {
    // What became the same has one hue, and is told apart by how light it is.
    const alike = counted.filter((one) => one.to === to);
    const place = alike.findIndex((one) => one.from === from);
    return {
      label,
      name: name.slice(0, 60),
      color: shaded(classes[to]!.color, place, alike.length),
      groups: [label],
    };
  });
}

/** What the classes of a from–to map say, in words. */
export const SHOWN_WORDS: Record<TransitionsShown, string> = {
  transition: "by transition",
  initial: "by what it was",
  changed: "changed or not",
};

/** The settings in words: how the map is divided, which classes are told apart, what counts. */
export function transitionsText(transitions: Transitions): string {
  const { classes, show, kept } = transitions;
  const counted = changesOf(classes)
    .filter(({ label }) => kept.includes(label))
    .map(({ name }) => name);
  const names = classes.map(({ name }) => name).join(", ");
  return `${SHOWN_WORDS[show]}; classes in common: ${names}; counted: ${counted.join(", ") || "none"}`;
}

/** Labels of the map's classes that hold an unlikely transition. */
export const unlikelyClasses = (transitions: Transitions): number[] =>
  classesOfTransitions(transitions)
    .filter(({ groups }) => groups.some((label) => transitions.unlikely.includes(label)))
    .map(({ label }) => label);
