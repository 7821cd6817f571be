import { type ProbableArea, probableArea } from "@hindglance/core/doubt/areas";
import type { ChangeMap, TallyRow } from "../api/types";

/** A class as it is mapped, and as it is probable. */
export interface ProbableRow {
  row: TallyRow;
  probable: ProbableArea;
}

/** Classes of a map over the whole of it, with their probable areas; none until they are counted. */
export const probableRows = ({ rows, doubt }: ChangeMap): ProbableRow[] =>
  rows
    .filter(({ zone, label }) => zone === null && label > 0)
    .flatMap((row) => {
      const probable = doubt && probableArea(doubt.sums, row.label, null);
      return probable ? [{ row, probable }] : [];
    });
