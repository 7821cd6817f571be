import { zoneName } from "@hindglance/core/tally/zoneName";
import type { StandingArea } from "@hindglance/contract/verdicts";
import type { ChangeMap, TallyRow } from "../api/types";

/** Label of what reviewers rejected, in the table. */
export const REJECTED = -1;
const REJECTED_LOOK = { label: REJECTED, name: "Rejected", color: "#8d9693" };

/** Areas of a map by class and standing, as the server tells them. */
export type Standings = readonly StandingArea[];

/** The zone that rows of a map have; null is the whole map. */
const zoneOf = ({ provenance }: ChangeMap, zone: number | null): string | null =>
  zone === null ? null : zoneName(provenance.zones?.names, zone);

/** Areas of a class in a zone, of those that stand so; of all classes where `label` is null. */
function areaOf(
  map: ChangeMap,
  areas: Standings,
  zone: string | null,
  label: number | null,
  standings: readonly StandingArea["standing"][],
): Pick<TallyRow, "cells" | "areaM2"> {
  return areas
    .filter(
      (one) =>
        zoneOf(map, one.zone) === zone &&
        (label === null || one.label === label) &&
        standings.includes(one.standing),
    )
    .reduce(
      (sum, { cells, areaM2 }) => ({ cells: sum.cells + cells, areaM2: sum.areaM2 + areaM2 }),
      { cells: 0, areaM2: 0 },
    );
}

/**
 * Rows of a map's table by what reviewers said: each class without the patches that were rejected, and
 * those apart, as a row of their own.
 */
export function rowsByVerdict(map: ChangeMap, areas: Standings): TallyRow[] {
  const zones = [...new Set(map.rows.map(({ zone }) => zone))];
  return zones.flatMap((zone) => {
    const own = map.rows.filter((row) => row.zone === zone);
    const seenM2 = own.reduce((sum, { areaM2 }) => sum + areaM2, 0);
    const share = (areaM2: number) => (seenM2 > 0 ? (100 * areaM2) / seenM2 : 0);
    const kept = own.map((row) => {
      const gone = areaOf(map, areas, zone, row.label, ["false"]);
      const areaM2 = row.areaM2 - gone.areaM2;
      return { ...row, cells: row.cells - gone.cells, areaM2, sharePercent: share(areaM2) };
    });
    const rejected = areaOf(map, areas, zone, null, ["false"]);
    return [...kept, { ...REJECTED_LOOK, ...rejected, zone, sharePercent: share(rejected.areaM2) }];
  });
}

/** How a class stands over the whole map, square metres. */
export interface ClassStanding {
  row: TallyRow;
  realM2: number;
  /** Of which nobody said that it is real or false, or one this and another that. */
  openM2: number;
  falseM2: number;
}

/** How the classes stand that have patches. */
export const classStandings = (map: ChangeMap, areas: Standings): ClassStanding[] =>
  map.rows
    .filter(({ zone, label, cells }) => zone === null && label > 0 && cells > 0)
    .map((row) => ({
      row,
      realM2: areaOf(map, areas, null, row.label, ["real"]).areaM2,
      openM2: areaOf(map, areas, null, row.label, ["open", "disputed"]).areaM2,
      falseM2: areaOf(map, areas, null, row.label, ["false"]).areaM2,
    }));
