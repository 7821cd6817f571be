import { classesFrom } from "@hindglance/core/change/classSource";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import type { CompareNodes } from "../../api/types";
import { cellsOf } from "../../map/nodeCells";
import type { Place } from "./types";

/** What a comparison says of one place, as far as its tiles have come. */
export interface PlaceValues {
  /** Undefined until the tile has come; NaN is nodata. */
  before: number | undefined;
  after: number | undefined;
  change: number | undefined;
  /** Metres; null where there is none. */
  elevation: number | null;
  /** Name of the class; null where it has none, "not counted" where it is left out. */
  className: string | null;
  /** Of the coarser of both dates: 0 is the cells themselves. */
  level: number;
}

const isFinite = (value: number | undefined): value is number =>
  value !== undefined && Number.isFinite(value);

/** Said of a cell that no class may take. */
export const NOT_COUNTED = "not counted";

function classAt(nodes: CompareNodes, setup: ChangeSetup, at: Place): string | null {
  const label = cellsOf(nodes.classes).valueAt(...at)?.values[0];
  if (label === CLASS_NODATA) {
    return NOT_COUNTED;
  }
  return (
    classesFrom(setup)
      .find((one) => one.label === label)
      ?.name.toLowerCase() ?? null
  );
}

/** The measure: as the stack holds it; where that has not come, both dates do for a difference. */
function changeOf(
  setup: ChangeSetup,
  measured: number | undefined,
  before: number | undefined,
  after: number | undefined,
): number | undefined {
  if (isFinite(measured)) {
    return measured;
  }
  const known = before !== undefined && after !== undefined;
  const both = known ? after - before : NaN;
  const change = measureOf(setup.measure).ofDifference?.(both) ?? NaN;
  return known || Number.isFinite(change) ? change : undefined;
}

function elevationAt(nodes: CompareNodes, stack: number[] | undefined): number | null {
  const has = nodes.stack.info.bands.some((band) => band.name === "elevation");
  const elevation = has ? stack?.[4] : undefined;
  return isFinite(elevation) ? elevation : null;
}

/** Values of both dates, the measure and the class at a place. */
export function valuesAt(
  nodes: CompareNodes,
  setup: ChangeSetup,
  classesReady: boolean,
  at: Place,
): PlaceValues {
  const before = cellsOf(nodes.before).valueAt(...at);
  const after = cellsOf(nodes.after).valueAt(...at);
  const stack = cellsOf(nodes.stack).valueAt(...at) ?? cellsOf(nodes.gated).valueAt(...at);
  const [b, a] = [before?.values[0], after?.values[0]];
  return {
    before: b,
    after: a,
    change: changeOf(setup, stack?.values[2], b, a),
    elevation: elevationAt(nodes, stack?.values),
    className: classesReady ? classAt(nodes, setup, at) : null,
    level: Math.max(after?.level ?? 0, before?.level ?? 0),
  };
}
