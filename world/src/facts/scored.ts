import { score } from "../truth";

/** Agreement of a map with the truth, and its area. */
export interface Score {
  iou: number;
  producers: number;
  users: number;
  km2: number;
}

/** Four decimals. */
export const round = (value: number): number => Math.round(value * 1e4) / 1e4;

/** What a map is scored with. */
export interface Truth {
  /** Whether a cell is what is looked for. */
  real(i: number): boolean;
  /** Whether a cell counts. */
  counts(i: number): boolean;
  cellKm2: number;
}

/** Scores the labels of a map, those that `is` what is looked for. */
export function scored(
  labels: ArrayLike<number>,
  is: (label: number) => boolean,
  { real, counts, cellKm2 }: Truth,
): Score {
  let cells = 0;
  for (let i = 0; i < labels.length; i++) {
    if (counts(i) && is(labels[i]!)) {
      cells++;
    }
  }
  const found = score((i) => is(labels[i]!), real, counts, labels.length);
  return {
    iou: round(found.iou),
    producers: round(found.producers),
    users: round(found.users),
    km2: round(cells * cellKm2),
  };
}

/** Whether a label is one of these. */
export const isOneOf =
  (...labels: number[]) =>
  (label: number): boolean =>
    labels.includes(label);
