import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { overviewLevel } from "@hindglance/core/graph/overview";
import { blockWindows, levelGrid } from "@hindglance/core/grid/grid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";

/** Groups and all bands of both dates, on one grid. */
export interface GroupsTask {
  kind: "groups";
  groups: NodeSpec;
  before: NodeSpec;
  after: NodeSpec;
}
/**
 * By group, counted on an overview: its share of the grouped cells, and the mean of each band on
 * both dates.
 */
export interface GroupFacts {
  bands: { name: string; unit: string; wavelengthNm: number | null }[];
  groups: {
    group: number;
    color: string;
    share: number;
    before: (number | null)[];
    after: (number | null)[];
  }[];
  cells: number;
}

export async function groupsOf(e: Evaluator, t: GroupsTask): Promise<GroupFacts> {
  const [info, b, report] = await Promise.all([
    e.info(t.groups),
    e.info(t.before),
    e.report(t.groups),
  ]);
  const level = overviewLevel(info);
  const g = levelGrid(info.grid, level);
  const d = b.bands.length;
  const found = Number(
    report?.lines.find((l) => l.name === "groups")?.value ?? info.classes!.length,
  );
  const cells = new Float64Array(256);
  const sums = [0, 1].map(() => new Float64Array(256 * d));
  const seen = [0, 1].map(() => new Float64Array(256 * d));
  for (const w of blockWindows(g)) {
    const [labels, ...dates] = await Promise.all([
      e.read(t.groups, level, w),
      e.read(t.before, level, w),
      e.read(t.after, level, w),
    ]);
    const l = labels.bands[0]!;
    for (let i = 0; i < l.length; i++) {
      cells[l[i]!]!++;
    }
    dates.forEach((x, k) =>
      x.bands.forEach((v, j) => {
        for (let i = 0; i < l.length; i++) {
          const y = v[i]!;
          if (y === y) {
            sums[k]![l[i]! * d + j]! += y;
            seen[k]![l[i]! * d + j]!++;
          }
        }
      }),
    );
  }
  let total = 0;
  for (let l = 1; l < CLASS_NODATA; l++) {
    total += cells[l]!;
  }
  const mean = (k: number, l: number) =>
    b.bands.map((_b, j) =>
      seen[k]![l * d + j]! > 0 ? sums[k]![l * d + j]! / seen[k]![l * d + j]! : null,
    );
  return {
    bands: b.bands.map((x) => ({
      name: x.name,
      unit: x.unit,
      wavelengthNm: x.wavelengthNm ?? null,
    })),
    cells: total,
    groups: info.classes!.slice(0, found).map((c) => ({
      group: c.label,
      color: c.color,
      share: total ? cells[c.label]! / total : 0,
      before: mean(0, c.label),
      after: mean(1, c.label),
    })),
  };
}
