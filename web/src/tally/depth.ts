import type { ChangeMap } from "../api/types";

/** Classes that are taken for water where nobody says otherwise. */
export interface WaterClasses {
  flooded: number[];
  wet: number[];
}

/** Names of classes of ground that came under water, and of what is water or stands in it. */
const FLOODED = /new water|flood(?!ed vegetation)/i;
const WET = /water|flooded|vegetation/i;
/** Names of what fell dry. */
const DRY = /reced|fell dry|no water/i;

/** Which classes of a map are water, by their names; the first where none says that it came under water. */
export function waterClasses({ info }: Pick<ChangeMap, "info">): WaterClasses {
  const classes = (info.classes ?? []).filter(({ name }) => !DRY.test(name));
  const named = classes.filter(({ name }) => FLOODED.test(name)).map(({ label }) => label);
  const flooded = named.length > 0 ? named : classes.slice(0, 1).map(({ label }) => label);
  const wet = classes
    .filter(({ name, label }) => WET.test(name) && !flooded.includes(label))
    .map(({ label }) => label);
  return { flooded, wet };
}
