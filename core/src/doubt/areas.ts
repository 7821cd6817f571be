import type { CellAreas } from "../grid/area";
import type { Window } from "../grid/grid";
import { AROUND_SPREAD } from "./around";

/** [zone · 256 + label, probable m², sum of p (1 − p) times the cell's area squared]. */
export type DoubtEntry = [key: number, areaM2: number, variance: number];

/** Probable areas by zone and class, with what their intervals come from; merges. */
export interface DoubtSums {
  zones: number;
  entries: DoubtEntry[];
}

/** Gathers probable areas window by window. */
export class DoubtTally {
  private readonly areaM2: Float64Array;
  private readonly variance: Float64Array;

  /** @param zones number of zones; zone 0 is "in no zone" */
  constructor(private readonly zones: number) {
    this.areaM2 = new Float64Array(256 * zones);
    this.variance = new Float64Array(256 * zones);
  }

  /**
   * Adds a window.
   * @param labels classes whose probabilities these are @param probabilities by class; NaN counts for
   * nothing @param zone by cell; null for all in zone 0
   */
  add(
    labels: readonly number[],
    probabilities: readonly Float32Array[],
    zone: Uint16Array | null,
    { row, col, width, height }: Window,
    areas: CellAreas,
  ): void {
    for (let r = 0; r < height; r++) {
      // Cells of one row of a window differ in area by less than a millionth.
      const area = areas.run(row + r, col, col + width) / width;
      const square = area * area;
      labels.forEach((label, k) => {
        const of = probabilities[k]!;
        for (let i = r * width; i < (r + 1) * width; i++) {
          const share = of[i]!;
          if (share > 0) {
            const at = (zone ? zone[i]! : 0) * 256 + label;
            this.areaM2[at]! += share * area;
            this.variance[at]! += share * (1 - share) * square;
          }
        }
      });
    }
  }

  merge({ entries }: DoubtSums): void {
    for (const [key, areaM2, variance] of entries) {
      this.areaM2[key]! += areaM2;
      this.variance[key]! += variance;
    }
  }

  toJSON(): DoubtSums {
    const entries: DoubtEntry[] = [];
    this.areaM2.forEach((areaM2, key) => {
      if (areaM2 > 0) {
        entries.push([key, areaM2, this.variance[key]!]);
      }
    });
    return { zones: this.zones, entries };
  }
}

/** Quantile of the normal distribution that a 95 % interval reaches to. */
const NORMAL_95 = 1.959964;
/**
 * Cells that are right or wrong together: what is around a cell decides on it as on its neighbours. The
 * weights of two cells overlap as a bell of twice the variance, whose integral this is.
 */
const TOGETHER = 4 * Math.PI * AROUND_SPREAD ** 2;

/** A probable area, and half of its 95 % interval. */
export interface ProbableArea {
  areaM2: number;
  halfM2: number;
}

/**
 * Probable area of a class. Null where the map has no cell of it anywhere: what it would look like is not
 * known.
 * @param zone null: all zones together
 */
export function probableArea(
  { entries }: DoubtSums,
  label: number,
  zone: number | null,
): ProbableArea | null {
  const own = entries.filter(([key]) => key % 256 === label);
  if (own.length === 0) {
    return null;
  }
  let areaM2 = 0;
  let variance = 0;
  for (const [key, area, spread] of own) {
    if (zone === null || Math.floor(key / 256) === zone) {
      areaM2 += area;
      variance += spread;
    }
  }
  return { areaM2, halfM2: NORMAL_95 * Math.sqrt(TOGETHER * variance) };
}
