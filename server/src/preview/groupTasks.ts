import type { GroupFacts } from "@hindglance/contract/compare";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { overviewLevel } from "@hindglance/core/graph/overview";
import { blockWindows, levelGrid } from "@hindglance/core/grid/grid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";

export type { GroupFacts } from "@hindglance/contract/compare";

/** Groups and all bands of both dates, on one grid. */
export interface GroupsTask {
  kind: "groups";
  groups: NodeSpec;
  before: NodeSpec;
  after: NodeSpec;
}

/** Sizes and curves of groups of like cells, in a preview thread. */
export async function groupsOf(evaluator: Evaluator, groupsTask: GroupsTask): Promise<GroupFacts> {
  const [info, b, report] = await Promise.all([
    evaluator.info(groupsTask.groups),
    evaluator.info(groupsTask.before),
    evaluator.report(groupsTask.groups),
  ]);
  const level = overviewLevel(info);
  const grid = levelGrid(info.grid, level);
  const bandCount = b.bands.length;
  const found = Number(
    report?.lines.find((line) => line.name === "groups")?.value ?? info.classes!.length,
  );
  const cells = new Float64Array(256);
  const sums = [0, 1].map(() => new Float64Array(256 * bandCount));
  const seen = [0, 1].map(() => new Float64Array(256 * bandCount));
  for (const w of blockWindows(grid)) {
    const [labels, ...dates] = await Promise.all([
      evaluator.read(groupsTask.groups, level, w),
      evaluator.read(groupsTask.before, level, w),
      evaluator.read(groupsTask.after, level, w),
    ]);
    const band = labels.bands[0]!;
    for (let i = 0; i < band.length; i++) {
      cells[band[i]!]!++;
    }
    dates.forEach((date, k) =>
      date.bands.forEach((value, j) => {
        for (let i = 0; i < band.length; i++) {
          const y = value[i]!;
          if (y === y) {
            sums[k]![band[i]! * bandCount + j]! += y;
            seen[k]![band[i]! * bandCount + j]!++;
          }
        }
      }),
    );
  }
  let total = 0;
  for (let group = 1; group < CLASS_NODATA; group++) {
    total += cells[group]!;
  }
  const mean = (k: number, group: number) =>
    b.bands.map((_b, j) =>
      seen[k]![group * bandCount + j]! > 0
        ? sums[k]![group * bandCount + j]! / seen[k]![group * bandCount + j]!
        : null,
    );
  return {
    bands: b.bands.map((band) => ({
      name: band.name,
      unit: band.unit,
      wavelengthNm: band.wavelengthNm ?? null,
    })),
    cells: total,
    groups: info.classes!.slice(0, found).map((classInfo) => ({
      group: classInfo.label,
      color: classInfo.color,
      share: total ? cells[classInfo.label]! / total : 0,
      before: mean(0, classInfo.label),
      after: mean(1, classInfo.label),
    })),
  };
}
