import type { ChangeSetup, Grouping } from "@hindglance/core/change/setup";
import type { GroupClass } from "@hindglance/core/graph/steps/groups";
import { newClass } from "../rules/changes";

/** What a study that groups for the first time begins with. */
export const firstGrouping = (): Grouping => ({
  of: "differences",
  method: "kMeans",
  groups: 6,
  seed: 1,
  splitSpread: 1,
  mergeDistance: 0.8,
  leastShare: 0.01,
  classes: [{ label: 1, name: "Change", color: "#b85c1e", groups: [] }],
});

type Change = (setup: ChangeSetup) => ChangeSetup;

const withGrouping =
  (apply: (grouping: Grouping) => Grouping): Change =>
  (setup) => ({ ...setup, groups: setup.groups && apply(setup.groups) });

/**
 * Groups made in another way. They carry other numbers: what was picked of the old ones says
 * nothing of them.
 */
export const regrouped = (part: Partial<Grouping>): Change =>
  withGrouping((grouping) => ({
    ...grouping,
    ...part,
    classes: grouping.classes.map((one) => ({ ...one, groups: [] })),
  }));

const withClasses = (apply: (classes: GroupClass[]) => GroupClass[]): Change =>
  withGrouping((grouping) => ({ ...grouping, classes: apply(grouping.classes) }));

/** A group given to the class of a label, and taken from any other; 0 is no class. */
export const given = (group: number, label: number): Change =>
  withClasses((classes) =>
    classes.map((one) => {
      const others = one.groups.filter((other) => other !== group);
      const own = [...others, group].sort((a, b) => a - b);
      return { ...one, groups: one.label === label ? own : others };
    }),
  );

/** One more class, of no group. */
export const withClass = withClasses((classes) => [
  ...classes,
  { ...newClass(classes), groups: [] },
]);

/** Without a class. */
export const withoutClass = (label: number): Change =>
  withClasses((classes) => classes.filter((one) => one.label !== label));

/** A class with another name or colour. */
export const changedClass = (label: number, part: Partial<GroupClass>): Change =>
  withClasses((classes) => classes.map((one) => (one.label === label ? { ...one, ...part } : one)));
