import type { ChangeSetup } from "../change/setup";

/** How far a patch's mean measure lies beyond a threshold of its class, in the measure's unit. */
export interface Margin {
  threshold: number;
  /** Negative where the mean misses it, though single cells do not. */
  beyond: number;
}

/**
 * The threshold on the measure that a patch of a class by rules comes nearest to. Null where the class has
 * no such threshold, or the patch no mean.
 */
export function marginOf(
  { rules, groups, transitions }: Pick<ChangeSetup, "rules" | "groups" | "transitions">,
  { label, measure }: { label: number; measure: number | null },
): Margin | null {
  const rule = groups || transitions ? undefined : rules.find((one) => one.label === label);
  if (!rule || measure === null) {
    return null;
  }
  const margins = rule.all.flatMap(({ layer, op, value }): Margin[] => {
    if (layer !== "measure" || op === "=" || op === "!=") {
      return [];
    }
    const isUnder = op === "<" || op === "<=";
    return [{ threshold: value, beyond: isUnder ? value - measure : measure - value }];
  });
  return margins.reduce<Margin | null>(
    (least, one) => (least === null || one.beyond < least.beyond ? one : least),
    null,
  );
}
