import { WATER_LABELS } from "@hindglance/core/change/firstMap/rules";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { REAL } from "./study";

/** How a first map agrees with what really is there. */
export interface PairScore {
  /** Of open new water; null where there is none. */
  iou: number | null;
  producers: number | null;
  users: number | null;
  /** New water that is none, square kilometres in 100 that were seen. */
  falseIn100: number;
  /** Flooded plants that were found, and the share of those found that is none. */
  plantsFound: number | null;
  plantsFalse: number | null;
  /** Share of a field of dark sand that is called standing water. */
  sandAsWater: number | null;
  /** Share of standing water that is called water, in whatever class. */
  waterAsWater: number | null;
}

const rounded = (value: number): number => Math.round(value * 1e4) / 1e4;
const share = (part: number, whole: number): number | null =>
  whole > 0 ? rounded(part / whole) : null;

/** Holds labels against the truth. */
export function scoreOf(labels: Uint8Array, real: Uint8Array): PairScore {
  const counts = new Map<string, number>();
  let seen = 0;
  labels.forEach((label, i) => {
    if (label !== CLASS_NODATA) {
      seen++;
      const key = `${label} ${real[i]}`;
      counts.set(key, (counts.get(key) ?? 0) + 1);
    }
  });
  const reals = Object.values(REAL);
  const of = (label: number, ...among: readonly number[]) =>
    among.reduce((sum, one) => sum + (counts.get(`${label} ${one}`) ?? 0), 0);
  const all = (one: number) =>
    [0, ...Object.values(WATER_LABELS)].reduce((sum, label) => sum + of(label, one), 0);
  const both = of(WATER_LABELS.newWater, REAL.newWater);
  const wrong = of(WATER_LABELS.newWater, REAL.land, REAL.standing, REAL.sand);
  const there = all(REAL.newWater);
  const plants = of(WATER_LABELS.vegetation, REAL.vegetation);
  const plantsSaid = of(WATER_LABELS.vegetation, ...reals.filter((one) => one !== REAL.mixed));
  const water = of(WATER_LABELS.standing, REAL.standing) + of(WATER_LABELS.rough, REAL.standing);
  return {
    iou: there ? share(both, there + wrong) : null,
    producers: share(both, there),
    users: there ? share(both, both + wrong) : null,
    falseIn100: rounded((100 * wrong) / seen),
    plantsFound: share(plants, all(REAL.vegetation)),
    plantsFalse: plantsSaid > 0 ? share(plantsSaid - plants, plantsSaid) : null,
    sandAsWater: share(of(WATER_LABELS.standing, REAL.sand), all(REAL.sand)),
    waterAsWater: share(water, all(REAL.standing)),
  };
}
