import type { ClassInfo } from "../graph/image";
import type { ChangeSetup } from "./setup";
import { classesOfTransitions } from "./transitions";

type Source = Pick<ChangeSetup, "rules" | "groups" | "transitions">;

/** Classes of a map by what they come from: transitions, groups or rules. */
export const classesFrom = ({ rules, groups, transitions }: Source): ClassInfo[] =>
  transitions ? classesOfTransitions(transitions) : (groups?.classes ?? rules);

/** Whether classes come from conditions over the dates and their measure. */
export const isByRules = ({ groups, transitions }: Source): boolean => !groups && !transitions;

/** Classes come from rules again. */
export const BY_RULES: Pick<ChangeSetup, "groups" | "transitions"> = {
  groups: null,
  transitions: null,
};
