import { type Plan, planSample } from "@hindglance/core/accuracy/plan";
import type { Drawing } from "@hindglance/core/accuracy/sample";
import type { ChangeMap } from "../api/types";

/** What a sample is planned with. */
export interface Wishes {
  drawing: Drawing;
  /** Standard error of overall accuracy that is wanted, percent. */
  errorPercent: number;
  /** Places of every class at the least. */
  least: number;
  /** Cells around change that are a stratum of their own; 0: none. */
  nearCells: number;
  /** Places of that stratum. */
  nearUnits: number;
  seed: number;
  /** Expected user's accuracy by label, percent, where somebody gave one. */
  expected: Readonly<Record<number, number>>;
  /** Places by label, where somebody gave a number in place of the planned one. */
  units: Readonly<Record<number, number>>;
}

/** What a plan begins with. */
export const FIRST_WISHES: Wishes = {
  ...{ drawing: "stratified", errorPercent: 1, least: 50, nearCells: 3, nearUnits: 100, seed: 1 },
  ...{ expected: {}, units: {} },
};

/** Expected accuracies where nobody gave one, percent: a class is more often wrong than no change is. */
const USUAL = { change: 90, none: 98 };

/** A class of the map with its part of the plan. */
export interface PlannedClass {
  label: number;
  name: string;
  color: string;
  cells: number;
  areaM2: number;
  expectedPercent: number;
  units: number;
}

/** A plan, class by class; without one where the wishes make none. */
export interface PlannedSample {
  plan: Plan;
  classes: PlannedClass[];
  /** Places in all. */
  places: number;
}

/** How large a sample of a map is to be. @throws InputError where the wishes make no sense */
export function plannedSample({ rows }: ChangeMap, wishes: Wishes): PlannedSample {
  const classes = rows
    .filter(({ zone, cells }) => zone === null && cells > 0)
    .map(({ label, name, color, cells, areaM2 }) => {
      const usual = label === 0 ? USUAL.none : USUAL.change;
      return {
        ...{ label, name, color, cells, areaM2 },
        expectedPercent: wishes.expected[label] ?? usual,
      };
    });
  const plan = planSample(
    classes.map(({ label, areaM2, cells, expectedPercent }) => ({
      ...{ id: label, areaM2, cells, accuracy: expectedPercent / 100 },
    })),
    { standardError: wishes.errorPercent / 100, least: wishes.least },
  );
  const planned = classes.map((one, k) => ({
    ...one,
    units: wishes.units[one.label] ?? plan.units[k]!,
  }));
  const isByClass = wishes.drawing === "stratified";
  const near = wishes.nearCells > 0 ? wishes.nearUnits : 0;
  const byClass = planned.reduce((sum, { units }) => sum + units, 0) + near;
  return { plan, classes: planned, places: isByClass ? byClass : plan.needed };
}

/** Number of the stratum near change: the first that no class has. */
function nearNumber({ info }: Pick<ChangeMap, "info">): number {
  const taken = new Set(info.classes?.map(({ label }) => label));
  let near = 1;
  while (taken.has(near)) {
    near++;
  }
  return near;
}

/** The order that draws a planned sample. */
export function orderOf(map: ChangeMap, wishes: Wishes, { classes, places }: PlannedSample) {
  const isByClass = wishes.drawing === "stratified";
  const nearCells = isByClass ? wishes.nearCells : 0;
  const near = nearCells > 0 ? { [nearNumber(map)]: wishes.nearUnits } : {};
  const units = Object.fromEntries(classes.map((one) => [one.label, one.units]));
  return {
    nearCells,
    design: {
      drawing: wishes.drawing,
      seed: wishes.seed,
      units: isByClass ? { ...units, ...near } : {},
      count: isByClass ? 0 : places,
    },
  };
}
