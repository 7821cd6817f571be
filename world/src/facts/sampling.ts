import { type SampleDesign, drawPlaces, strataOf, withNear } from "@hindglance/core/accuracy/draw";
import { accuracyOf } from "@hindglance/core/accuracy/estimates";
import type { Estimate } from "@hindglance/core/accuracy/estimates";
import { countsByStratum } from "@hindglance/core/accuracy/sample";
import { cellAreas } from "@hindglance/core/grid/area";
import type { Grid } from "@hindglance/core/grid/grid";
import { runsOf } from "@hindglance/core/patches/runs";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { round } from "./scored";

/** How often intervals of samples held what is true, of so many samples. */
export interface Coverage {
  samples: number;
  places: number;
  /** Shares of the samples whose interval held it: overall accuracy, and areas by class. */
  overall: number;
  areas: Record<number, number>;
  /** The same of ± 1.96 standard errors. */
  plain: { overall: number; areas: Record<number, number> };
}

/** Number of the stratum near change; the maps of the world have no such class. */
const NEAR = 99;
const NEAR_CELLS = 3;
const SAMPLES = 1000;
const NORMAL_95 = 1.96;

const holds = ({ low, high }: Estimate, truth: number): boolean =>
  low !== null && high !== null && low <= truth && truth <= high;
const holdsPlain = ({ value, standardError }: Estimate, truth: number): boolean =>
  standardError !== null && Math.abs(value - truth) <= NORMAL_95 * standardError;

/**
 * Draws samples from a map of the world and looks at them with what is true.
 * @param labels of the map; nodata does not count @param reference what each cell is
 * @param units places by class; `NEAR` near change
 */
export function intervalCoverage(
  labels: Uint8Array,
  reference: (i: number) => number,
  grid: Grid,
  units: Record<number, number>,
): Coverage {
  const { width, height } = grid;
  const areas = cellAreas(grid);
  const runs = withNear(runsOf(labels, width, height), NEAR_CELLS, NEAR);
  const strata = strataOf(runs, areas, NEAR);
  const all = strata.reduce((sum, { areaM2 }) => sum + areaM2, 0);
  const truth = new Map<number, number>();
  let right = 0;
  labels.forEach((label, i) => {
    if (label !== CLASS_NODATA) {
      const area = areas.cell(i % width, Math.floor(i / width));
      truth.set(reference(i), (truth.get(reference(i)) ?? 0) + area);
      right += label === reference(i) ? area : 0;
    }
  });
  const classes = [...truth.keys()].sort((a, b) => a - b);
  const none = () => Object.fromEntries(classes.map((label) => [label, 0]));
  const found: Coverage = {
    ...{ samples: SAMPLES, overall: 0, areas: none() },
    places: Object.values(units).reduce((sum, one) => sum + one, 0),
    plain: { overall: 0, areas: none() },
  };
  const share = 1 / SAMPLES;
  for (let seed = 1; seed <= SAMPLES; seed++) {
    const design: SampleDesign = { drawing: "stratified", seed, units, count: 0 };
    const counts = drawPlaces({ runs, strata }, design).map(({ stratum, col, row }) => ({
      ...{ stratum, units: 1, reference: reference(row * width + col) },
    }));
    const accuracy = accuracyOf(countsByStratum(strata, counts))!;
    found.overall += holds(accuracy.overall, right / all) ? share : 0;
    found.plain.overall += holdsPlain(accuracy.overall, right / all) ? share : 0;
    for (const { label, area } of accuracy.classes) {
      if (truth.has(label)) {
        found.areas[label]! += holds(area, truth.get(label)!) ? share : 0;
        found.plain.areas[label]! += holdsPlain(area, truth.get(label)!) ? share : 0;
      }
    }
  }
  const rounded = (by: Record<number, number>) =>
    Object.fromEntries(Object.entries(by).map(([label, value]) => [label, round(value)]));
  return {
    ...found,
    overall: round(found.overall),
    areas: rounded(found.areas),
    plain: { overall: round(found.plain.overall), areas: rounded(found.plain.areas) },
  };
}
