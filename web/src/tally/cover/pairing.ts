import type { ClassInfo } from "@hindglance/core/graph/image";
import type { CoverClass } from "@hindglance/core/cover/coverClass";
import { likeness } from "@hindglance/core/cover/pairLegends";

type Side = "before" | "after";
/** Classes of two legends, as the maps have them. */
export type Legends = Record<Side, readonly ClassInfo[]>;

/** Names of a common class's own classes on a side. */
export const namesOn = (one: CoverClass, side: Side, legends: Legends): string[] =>
  one[side].map(
    (label) => legends[side].find((of) => of.label === label)?.name ?? `class ${label}`,
  );

/** In how far the names of a pair are alike, in words. */
export function likeSaid(one: CoverClass, legends: Legends): string {
  const [before, after] = [namesOn(one, "before", legends), namesOn(one, "after", legends)];
  if (before.length === 0 || after.length === 0) {
    return before.length ? "only before" : "only after";
  }
  if (before.length > 1 || after.length > 1) {
    return "merged";
  }
  const alike = likeness(before[0]!, after[0]!);
  if (before[0] === after[0]) {
    return "same name";
  }
  return alike === 1 ? "same but for spelling" : `names ${Math.round(100 * alike)} % alike`;
}

/** Whether a class has nothing on one of the dates. */
export const isAlone = (one: CoverClass): boolean =>
  one.before.length === 0 || one.after.length === 0;

/** Classes of a legend that no common class has. */
export const leftOut = (
  classes: readonly CoverClass[],
  side: Side,
  legends: Legends,
): ClassInfo[] =>
  legends[side].filter(({ label }) => !classes.some((one) => one[side].includes(label)));

/** One class put into another, which keeps its name. */
export const merged = (classes: readonly CoverClass[], from: number, into: number): CoverClass[] =>
  classes
    .map((one, k) =>
      k === into
        ? {
            ...one,
            before: [...one.before, ...classes[from]!.before],
            after: [...one.after, ...classes[from]!.after],
          }
        : one,
    )
    .filter((_one, k) => k !== from);

/** A class without which the others do: its cells are left out. */
export const without = (classes: readonly CoverClass[], place: number): CoverClass[] =>
  classes.filter((_one, k) => k !== place);

/** A name that no class has, made from one. */
function freeName(name: string, classes: readonly CoverClass[]): string {
  const taken = new Set(classes.map((one) => one.name.toLowerCase()));
  let free = name;
  for (let nth = 2; taken.has(free.toLowerCase()); nth++) {
    free = `${name} ${nth}`;
  }
  return free;
}

/** A class of one date as a common class of its own. */
export const withOwn = (
  classes: readonly CoverClass[],
  side: Side,
  { label, name, color }: ClassInfo,
): CoverClass[] => [
  ...classes,
  {
    name: freeName(name, classes),
    color,
    before: side === "before" ? [label] : [],
    after: side === "after" ? [label] : [],
  },
];

/** A common class taken apart: each class of each date by itself. */
export function split(
  classes: readonly CoverClass[],
  place: number,
  legends: Legends,
): CoverClass[] {
  const one = classes[place]!;
  const sides = ["before", "after"] as const;
  return sides
    .flatMap((side) => one[side].map((label) => ({ side, label })))
    .reduce(
      (all, { side, label }) => {
        const own = legends[side].find((of) => of.label === label);
        return own ? withOwn(all, side, own) : all;
      },
      without(classes, place),
    );
}
