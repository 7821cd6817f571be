import { type Histogram, quantile } from "@hindglance/core/raster/histogram";

/** Height of the bars, pixels. */
export const HEIGHT = 74;
/** Room of a number at either end of the axis, pixels. */
const EDGE = 16;
/** Least room between a number of the axis and a threshold, pixels. */
const APART = 30;
/** Share of the cells that the picture leaves out at either end. */
const TAIL = 0.0015;

/** The same of chances, of which the rare ones are what matters. */
const TAIL_OF_CHANCE = 2e-5;

/** The values that a histogram is drawn of: nearly all, with some room; whole decibels. */
export function rangeOf(
  histogram: Histogram,
  isDecibel: boolean,
  isChance = false,
): [number, number] {
  const { min, max } = histogram;
  const tail = isChance ? TAIL_OF_CHANCE : TAIL;
  const lo = quantile(histogram, tail);
  const hi = quantile(histogram, 1 - tail);
  if (!Number.isFinite(lo)) {
    return [min, max];
  }
  const pad = isDecibel ? 1 : 0.02 * (max - min);
  const from = isDecibel ? Math.floor(lo - pad) : lo - pad;
  const to = isDecibel ? Math.ceil(hi + pad) : hi + pad;
  return [Math.max(min, from), Math.min(max, to)];
}

/** Where values lie on a picture of some width. */
export interface Axis {
  from: number;
  to: number;
  width: number;
  /** Pixels of a value; values outside lie at the ends. */
  x(value: number): number;
  /** Where a number under a value begins to stand inside of the picture. */
  labelX(value: number): number;
}

/** The axis from one value to another. */
export function axisOf([from, to]: [number, number], width: number): Axis {
  const x = (value: number) => ((Math.max(from, Math.min(to, value)) - from) / (to - from)) * width;
  return {
    from,
    to,
    width,
    x,
    labelX: (value) => Math.max(EDGE, Math.min(width - EDGE, x(value))),
  };
}

const STEPS = [0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100];
/** Part of a step by which rounding may err. */
const SLACK = 1e-9;
/** Numbers that an axis has at most. */
const MOST_TICKS = 7;

/** Numbers of the axis, clear of the thresholds, and their decimals. */
export function ticksOf(
  { from, to, x }: Axis,
  thresholds: readonly number[],
): { values: number[]; decimals: number } {
  const step = STEPS.find((one) => (to - from) / one <= MOST_TICKS) ?? (to - from) / 5;
  // A little slack: 0.3 / 0.05 is just under 6 in binary fractions, and is 6 nevertheless.
  const first = Math.ceil(from / step - SLACK);
  const all = Array.from(
    { length: Math.floor(to / step + SLACK) - first + 1 },
    (_v, k) => (first + k) * step,
  );
  return {
    values: all.filter((tick) => thresholds.every((value) => Math.abs(x(tick) - x(value)) > APART)),
    decimals: Math.max(0, Math.min(3, Math.ceil(-Math.log10(step) - SLACK))),
  };
}
