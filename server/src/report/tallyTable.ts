import type { ImageInfo } from "@hindglance/core/graph/image";
import { LIMIT_NAMES, type LimitName } from "@hindglance/core/change/setup";
import { Tally } from "@hindglance/core/tally/tally";
import { csvLine } from "@hindglance/formats/tables/csv";
import type { ChangeMap } from "../db/changeMaps";

/**
 * One line of a tally: a class in a zone, or in all zones (zone null). Shares are of the cells seen
 * there.
 */
export interface TallyRow {
  zone: string | null;
  label: number;
  name: string;
  color: string;
  cells: number;
  areaM2: number;
  sharePercent: number;
}

export const UNCHANGED = { label: 0, name: "No change", color: "#d8d3c6" };

/**
 * Areas of every class, first of the whole map, then zone by zone. Cells of no date (255) are left
 * out.
 */
export function tallyRows(
  map: Pick<ChangeMap, "tally" | "provenance">,
  info: ImageInfo,
): TallyRow[] {
  const t = Tally.from(map.tally);
  const classes = [...info.classes!, UNCHANGED];
  const names = map.provenance.zones?.names ?? [];
  const rows = (
    zone: string | null,
    of: (label: number) => { cells: number; areaM2: number },
  ): TallyRow[] => {
    const seen = classes.reduce((s, c) => s + of(c.label).areaM2, 0);
    return classes.map((c) => {
      const v = of(c.label);
      return {
        zone,
        label: c.label,
        name: c.name,
        color: c.color,
        ...v,
        sharePercent: seen > 0 ? (v.areaM2 / seen) * 100 : 0,
      };
    });
  };
  const out = rows(null, (l) => t.total(l));
  if (names.length) {
    names.forEach((n, k) => out.push(...rows(n, (l) => t.of(l, k + 1))));
    if (classes.some((c) => t.of(c.label, 0).cells > 0)) {
      out.push(...rows("In no zone", (l) => t.of(l, 0)));
    }
  }
  return out;
}

/** The table as CSV with its inputs recalled below it, so that it can be defended on its own. */
export function tallyCsv(map: ChangeMap, info: ImageInfo): string {
  const p = map.provenance;
  const f = (v: number, d: number) => Number(v.toFixed(d));
  const scene = (s: typeof p.before) =>
    `${s.name}, ${s.acquiredAt ?? "no date"}, file ${s.file}, SHA-256 ${s.sha256}`;
  return [
    csvLine(["zone", "class", "cells", "km2", "ha", "m2", "percent of cells seen"]),
    ...tallyRows(map, info).map((r) =>
      csvLine([
        r.zone ?? "All",
        r.name,
        r.cells,
        f(r.areaM2 / 1e6, 6),
        f(r.areaM2 / 1e4, 4),
        f(r.areaM2, 2),
        f(r.sharePercent, 4),
      ]),
    ),
    csvLine([]),
    csvLine(["map", map.name]),
    csvLine(["study", p.study]),
    csvLine(["before", scene(p.before)]),
    csvLine(["after", scene(p.after)]),
    ...(p.elevation ? [csvLine(["elevation", scene(p.elevation)])] : []),
    ...(p.cover ? [csvLine(["land cover", scene(p.cover)])] : []),
    ...(p.zones
      ? [csvLine(["zones", `${p.zones.name}, file ${p.zones.file}, SHA-256 ${p.zones.sha256}`])]
      : []),
    csvLine(["grid", p.grid]),
    csvLine([
      "measure",
      p.setup.measure === "formula" ? `formula ${p.setup.formula ?? ""}` : p.setup.measure,
    ]),
    p.setup.groups
      ? csvLine([
          "groups",
          `${p.setup.groups.method === "kMeans" ? "k-means" : "ISODATA"} of ${p.setup.groups.of}, ${p.setup.groups.groups} groups; ${p.setup.groups.classes.map((c) => `${c.name}: groups ${c.groups.join(", ") || "none"}`).join("; ")}`,
        ])
      : csvLine([
          "rules",
          p.setup.rules
            .map(
              (r) =>
                `${r.name}: ${r.all.map((c) => `${c.layer} ${c.op} ${c.value}`).join(" and ")}`,
            )
            .join("; "),
        ]),
    ...(map.tally.limits ?? []).map((l) =>
      csvLine([
        "limit",
        LIMIT_NAMES[l.name as LimitName] ?? l.name,
        -l.droppedCells,
        f(-l.droppedM2 / 1e6, 6),
        f(-l.droppedM2 / 1e4, 4),
        f(-l.droppedM2, 2),
        "",
        `${l.addedCells} cells given a class`,
      ]),
    ),
    csvLine(["parameters", JSON.stringify(p.setup)]),
    csvLine(["identity", p.nodeHash]),
    csvLine(["written", `${p.writtenAt} by ${p.program}`]),
    csvLine(["areas", "on the WGS 84 ellipsoid, sum of cell areas"]),
  ].join("");
}
