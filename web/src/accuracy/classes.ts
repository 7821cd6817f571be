import type { ClassInfo } from "@hindglance/core/graph/image";
import { NO_CHANGE, classNames } from "@hindglance/core/tally/classNames";
import type { ChangeMap } from "../api/types";

/** Keys by which classes are told, under the left hand first; J, K and X have another meaning. */
const KEYS = "ASDFGHQWERTYUIOPZCVBNM";

/** A class that a place can be told to be, with its key; null beyond as many as there are keys. */
export interface ToldClass extends ClassInfo {
  key: string | null;
}

/** Classes that a place can be told to be: those of the map, and none of them. */
export const toldClasses = ({ info }: Pick<ChangeMap, "info">): ToldClass[] =>
  [NO_CHANGE, ...(info.classes ?? [])].map((one, k) => ({ ...one, key: KEYS[k] ?? null }));

/** Names of a map's classes by label. */
export const namesOf = ({ info }: Pick<ChangeMap, "info">) => classNames(info);
