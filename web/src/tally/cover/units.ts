import type { FromToTable, Ground } from "@hindglance/core/cover/fromToTable";
import { number } from "../../lib/format";

/** Units that the table can be read in. */
export const UNITS = [
  { value: "km2", name: "km²" },
  { value: "ha", name: "ha" },
  { value: "cells", name: "cells" },
  { value: "before", name: "% of before", hint: "Percent of what the class was before" },
  { value: "after", name: "% of after", hint: "Percent of what the class is after" },
] as const;
export type Unit = (typeof UNITS)[number]["value"];

const share = (part: Ground, whole: Ground): string =>
  whole.areaM2 > 0 ? number((100 * part.areaM2) / whole.areaM2, 1) : "–";

/** An amount in a unit. @param before what the row's class was @param after what the column's is */
export function said(part: Ground, unit: Unit, before: Ground, after: Ground): string {
  switch (unit) {
    case "cells":
      return number(part.cells);
    case "ha":
      return number(part.areaM2 / 1e4, 1);
    case "km2":
      return number(part.areaM2 / 1e6, 3);
    case "before":
      return share(part, before);
    case "after":
      return share(part, after);
  }
}

/** The table as lines of cells, headings first. */
export function lines(table: FromToTable, names: readonly string[], unit: Unit): string[][] {
  const { classes, cells, total } = table;
  const rows = cells.map((row, from) => [
    names[from]!,
    ...row.map((part, to) => said(part, unit, classes[from]!.before, classes[to]!.after)),
    said(classes[from]!.before, unit, classes[from]!.before, total),
    said(classes[from]!.loss, unit, classes[from]!.before, total),
  ]);
  const foot = (["after", "gain", "net", "swap"] as const).map((what) => [
    what,
    ...classes.map((one) => said(one[what], unit, one.before, one.after)),
  ]);
  return [["from \\ to", ...names, "before", "loss"], ...rows, ...foot];
}
