/** Square kilometres of unchanged ground with one false alarm: what can be asked for, and to begin with. */
export const FALSE_ALARM_KM2 = { min: 0.1, max: 10_000, usual: 10 } as const;

/**
 * Natural logarithm of false alarms a cell on unchanged ground by strength z: each term of 1, z and
 * z² with its share that goes with one over the looks of all polarisations together.
 *
 * From a simulation of gamma speckle of one to eighty looks, 190 million cells
 * (world/src/falseAlarmTerms.ts): patches were counted at strengths from 2.8, and this was fitted to
 * the logarithms of their rates. At rates from 10^-5 to 2·10^-4 a cell it holds within a sixth of
 * every count of 300 and more, whether neighbouring cells are independent or go together by 0.35.
 */
const TERMS = [
  { plain: -1.83688, byLooks: 0.81644 },
  { plain: -0.53908, byLooks: -0.39893 },
  { plain: -0.30212, byLooks: 0.09016 },
] as const;
/** Weakest strength that was counted; anything that is asked for above its rate is given this one. */
const LEAST = 2.8;
/** Strength beyond any that can be asked for: one false alarm in 10^17 cells. */
const MOST = 12;

/**
 * False alarms a cell on unchanged ground: clusters of cells that stand out by so much or more, to
 * either side.
 * @param strength in standard deviations of the background, at least 2.8
 * @param looks of a cell, of all polarisations together
 */
export function falseAlarmsPerCell(strength: number, looks: number): number {
  const share = 1 / looks;
  const [first, second, third] = TERMS.map(({ plain, byLooks }) => plain + byLooks * share);
  return Math.exp(first! + strength * (second! + strength * third!));
}

/**
 * The strength that unchanged ground reaches as seldom as is asked for, in standard deviations of the
 * background; 2.8 for anything more often than that has.
 * @param perCell false alarms a cell @param looks of a cell, of all polarisations together
 */
export function unchangedStrength(perCell: number, looks: number): number {
  let low = LEAST;
  let high = MOST;
  // Halved until nothing is left between them in double precision.
  for (let k = 0; k < 60; k++) {
    const middle = (low + high) / 2;
    if (falseAlarmsPerCell(middle, looks) > perCell) {
      low = middle;
    } else {
      high = middle;
    }
  }
  return high;
}
