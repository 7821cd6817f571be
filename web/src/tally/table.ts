import type { ChangeMap, TallyRow } from "../api/types";
import { type AreaUnit, area } from "../lib/format";

/** Label of what did not change. */
export const NO_CHANGE = 0;

/** Areas that are written together: of a class, or of all classes of a zone. */
type Amount = Pick<TallyRow, "areaM2" | "cells" | "sharePercent">;

const NO_AREA: Amount = { areaM2: 0, cells: 0, sharePercent: 0 };

/** The areas of a change map by zone and class. */
export interface AreasOfMap {
  /** One a class, over the whole map. */
  all: TallyRow[];
  /** Without what did not change. */
  changes: TallyRow[];
  /** Zones in their order; null, the whole map, last. */
  zones: (string | null)[];
  find(zone: string | null, label: number): TallyRow;
  /** All classes of a zone together. */
  total(zone: string | null): Amount;
  /** Square metres of the largest change in any zone. */
  mostM2: number;
  seenM2: number;
  /** Classes of the map that have no ground and are not in the table. */
  leftOut: number;
}

/** Classes beyond this number are in the table only where the map has them. */
const MANY_CLASSES = 9;

/** Whether a class has ground, or must be named anyway: the first, and what did not change. */
const isThere = ({ label, cells }: TallyRow, k: number): boolean =>
  k === 0 || label === NO_CHANGE || cells > 0;

/** Puts a map's rows in order. */
export function areasOfMap({ rows }: Pick<ChangeMap, "rows">): AreasOfMap {
  const whole = rows.filter((row) => row.zone === null);
  const all = whole.length > MANY_CLASSES ? whole.filter(isThere) : whole;
  const changes = all.filter((row) => row.label > NO_CHANGE);
  const named = [...new Set(rows.map((row) => row.zone))].filter((zone) => zone !== null);
  const find = (zone: string | null, label: number) =>
    rows.find((row) => row.zone === zone && row.label === label)!;
  const total = (zone: string | null) =>
    all
      .map((row) => find(zone, row.label))
      .reduce<Amount>(
        (sum, row) => ({
          areaM2: sum.areaM2 + row.areaM2,
          cells: sum.cells + row.cells,
          sharePercent: sum.sharePercent + row.sharePercent,
        }),
        NO_AREA,
      );
  const changed = named.flatMap((zone) => changes.map(({ label }) => find(zone, label).areaM2));
  return {
    all,
    changes,
    zones: [...named, null],
    find,
    total,
    mostM2: Math.max(...changed),
    leftOut: whole.length - all.length,
    seenM2: all.reduce((sum, row) => sum + row.areaM2, 0),
  };
}

/** The table as text with tabs, for pasting into a document. */
export function tableText({ zones, all, find }: AreasOfMap, unit: AreaUnit): string {
  const head = ["zone", ...all.map((row) => row.name)];
  const lines = zones.map((zone) => [
    zone ?? "All",
    ...all.map(({ label }) => area(find(zone, label), unit)),
  ]);
  return [head, ...lines].map((cells) => cells.join("\t")).join("\n");
}
