import { type ReactNode, useMemo } from "react";
import { classesFrom, isByRules } from "@hindglance/core/change/classSource";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { cellAreas } from "@hindglance/core/grid/area";
import type { Study } from "../api/types";
import { dayYear } from "../lib/format";
import { LimitList } from "./LimitList";
import { useCompare } from "./state";
import { type LayerUnit, unitOf } from "./units";
import type { ComparisonOnScreen } from "./useComparison";
import { isValueBand } from "./useLook";

/** What stands there anyway: as the rules tell water on a date, or a bright index. */
function standingStart(setup: ChangeSetup, isValue: boolean): { op: "<" | ">"; value: number } {
  const usual = isValue ? ({ op: ">", value: 0 } as const) : ({ op: "<", value: -17 } as const);
  const dated = setup.rules
    .flatMap((rule) => rule.all)
    .find((condition) => condition.layer === "after" || condition.layer === "before");
  return dated ? { op: dated.op.startsWith("<") ? "<" : ">", value: dated.value } : usual;
}

/** Limits of the map, in the order in which they are applied. */
export function LimitSection({
  study,
  shown,
  setup,
  unit,
  head,
}: {
  study: Study;
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  unit: LayerUnit;
  head: ReactNode;
}) {
  const grid = shown.nodes?.gated.info.grid;
  const cellM2 = useMemo(
    () => (grid ? cellAreas(grid).cell(grid.width >> 1, grid.height >> 1) : 400),
    [grid],
  );
  const { pair } = shown;
  const others = shown.able.filter(
    (scene) =>
      scene.acquiredAt &&
      scene.kind === pair?.before.kind &&
      scene.id !== pair.before.id &&
      scene.id !== pair.after.id,
  );
  return (
    <LimitList
      head={head}
      limits={setup.limits}
      ground={{
        cellM2,
        hasArea: !!study.studyArea,
        hasElevation: !!shown.elevation,
        hasHidden: shown.has.hidden,
        hasCloud: shown.has.cloud,
        hasSecond: !!setup.second?.confirms,
        others: others.map(({ id, acquiredAt }) => ({ id, name: dayYear(acquiredAt!) })),
        classes: classesFrom(setup),
        start: standingStart(setup, isValueBand(shown.bands[setup.band])),
        unit: unitOf("before", unit),
      }}
      byRules={isByRules(setup)}
      found={shown.numbers.limits}
      change={useCompare.getState().change}
    />
  );
}
