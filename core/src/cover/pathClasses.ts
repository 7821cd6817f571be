import type { ClassInfo } from "../graph/image";
import type { CoverClass } from "./coverClass";
import type { PathClass } from "./paths";
import { pairLegends } from "./pairLegends";

/**
 * Classes that several dates have in common: those that two of them were paired by; labels of the
 * other dates join the classes whose names are most like theirs.
 * @param dates by date its legend, and which side of the pair it is; null: neither
 */
export function pathClasses(
  classes: readonly CoverClass[],
  dates: readonly { legend: readonly ClassInfo[]; side: "before" | "after" | null }[],
): PathClass[] {
  const common = classes.map(({ name, color }, k) => ({ label: k + 1, name, color }));
  const labelsOn = dates.map(({ legend, side }) => {
    if (side) {
      return classes.map((one) => one[side]);
    }
    const pairs = pairLegends(common, legend);
    return classes.map((_one, k) =>
      pairs.flatMap(({ before, after }) => (before === k + 1 && after !== null ? [after] : [])),
    );
  });
  return classes.map(({ name, color }, k) => ({
    name,
    color,
    labels: labelsOn.map((of) => of[k]!),
  }));
}
