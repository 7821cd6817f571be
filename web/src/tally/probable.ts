import { type ProbableArea, probableArea } from "@hindglance/core/doubt/areas";
import type { Estimate } from "@hindglance/core/accuracy/estimates";
import type { OutcomeAccuracy } from "@hindglance/core/accuracy/outcome";
import type { ChangeMap, TallyRow } from "../api/types";

/** A class as it is mapped, as it is probable, and as a sample adjusts it. */
export interface AreaRow {
  row: TallyRow;
  /** Null where the doubt of the map is not counted. */
  probable: ProbableArea | null;
  /** Null without a sample that was looked at. */
  adjusted: Estimate | null;
}

/** The probable area of a class over the whole map; null where its doubt is not counted. */
export const probableOf = ({ doubt }: Pick<ChangeMap, "doubt">, label: number) =>
  doubt && probableArea(doubt.sums, label, null);

/**
 * Classes of a map over the whole of it, as mapped beside what is probable and what a sample says; none
 * where there is neither.
 */
export function areaRows(
  { rows, doubt }: Pick<ChangeMap, "rows" | "doubt">,
  accuracy: OutcomeAccuracy | null,
): AreaRow[] {
  const all = rows
    .filter(({ zone, label }) => zone === null && label > 0)
    .map((row) => ({
      row,
      probable: probableOf({ doubt }, row.label),
      adjusted: accuracy?.classes.find(({ label }) => label === row.label)?.area ?? null,
    }));
  return all.filter(({ probable, adjusted }) => probable !== null || adjusted !== null);
}
