import { COVER, type Ground, WIDTH } from "./ground";

/** Classes of the truth: what a perfect observer would map. */
export const TRUTH = {
  land: 0,
  newWater: 1,
  standingWater: 2,
  floodedReed: 3,
  floodedTown: 4,
  recededWater: 5,
} as const;
export const TRUTH_NAMES: Record<number, string> = {
  1: "New open water",
  2: "Standing water",
  3: "Reeds standing in new water",
  4: "Flooded town",
  5: "Receded water",
};

/** Whether a label of the truth is new water. */
export const isFlood = (value: number): boolean =>
  value === TRUTH.newWater || value === TRUTH.floodedReed || value === TRUTH.floodedTown;

/** Truth on cells `factor` ground cells wide, by majority; of equals the first ground cell's. */
export function truthOf(ground: Ground, factor: number, width: number, height: number): Uint8Array {
  const out = new Uint8Array(width * height);
  const votes = new Uint16Array(6);
  for (let r = 0; r < height; r++) {
    for (let c = 0; c < width; c++) {
      votes.fill(0);
      let best = -1;
      for (let j = 0; j < factor; j++) {
        for (let i = 0; i < factor; i++) {
          const k = (r * factor + j) * WIDTH + c * factor + i;
          const was = ground.cover[k] === COVER.water;
          const is = ground.waterAfter[k] === 1;
          let value: 0 | 1 | 2 | 4 | 3 | 5;
          if (is) {
            if (was) {
              value = TRUTH.standingWater;
            } else if (ground.cover[k] === COVER.reed) {
              value = TRUTH.floodedReed;
            } else if (ground.cover[k] === COVER.town) {
              value = TRUTH.floodedTown;
            } else {
              value = TRUTH.newWater;
            }
          } else if (was) {
            value = TRUTH.recededWater;
          } else {
            value = TRUTH.land;
          }
          votes[value]!++;
          if (best < 0 || votes[value]! > votes[best]!) {
            best = value;
          }
        }
      }
      out[r * width + c] = best;
    }
  }
  return out;
}

/** Agreement of two yes/no maps over the cells that count. */
export function score(
  map: (i: number) => boolean,
  truth: (i: number) => boolean,
  counts: (i: number) => boolean,
  n: number,
): { iou: number; producers: number; users: number; cells: number } {
  let both = 0;
  let mapped = 0;
  let real = 0;
  let cells = 0;
  for (let i = 0; i < n; i++) {
    if (!counts(i)) {
      continue;
    }
    cells++;
    const m = map(i);
    const t = truth(i);
    if (m) {
      mapped++;
    }
    if (t) {
      real++;
    }
    if (m && t) {
      both++;
    }
  }
  return {
    iou: both / (mapped + real - both),
    producers: both / real,
    users: both / mapped,
    cells,
  };
}

/**
 * Agreement of a map of new water with what of the flood lies open: reeds and streets in water are
 * bright on radar and count as neither.
 * @param map whether a cell is mapped as new water @param truth a class of TRUTH for each cell
 * @param counts whether a cell counts; nodata does not
 * @returns 0 to 1; NaN where neither has any
 */
export const openIou = (
  map: (i: number) => boolean,
  truth: Uint8Array,
  counts: (i: number) => boolean,
): number =>
  score(
    map,
    (i) => truth[i] === TRUTH.newWater,
    (i) => counts(i) && truth[i] !== TRUTH.floodedReed && truth[i] !== TRUTH.floodedTown,
    truth.length,
  ).iou;
