import type { LevelMethod } from "./alignment";
import { matchedCurve, onCurve } from "./curve";
import { irMad, noChange } from "../change/irMad";
import { InputError } from "../errors";

/**
 * How one band of a date is brought to the level of the reference: reference = date · multiply +
 * add.
 */
export interface BandFit {
  band: string;
  multiply: number;
  add: number;
  /** In place of both, where histograms are matched. */
  curve?: [number, number][];
  /**
   * Correlation over the cells used; root mean square of reference − date over them as they are,
   * and once levelled.
   */
  correlation: number;
  rmseBefore: number;
  rmseAfter: number;
  /** Some of the cells used: date, reference. */
  scatter: [number, number][];
}

/** The fits of all bands, over so many cells of those that both dates have. */
export interface LevelFit {
  bands: BandFit[];
  cells: number;
  of: number;
}

/** Probability of no change from which a cell counts as unchanged. Source: Canty & Nielsen 2008. */
const UNCHANGED = 0.95;
const LEAST_CELLS = 100;
const SCATTER = 300;
/**
 * Reweighting draws the bell of no change tight; where hardly any cell passes, so many of the
 * likeliest serve instead, as long as they are likelier unchanged than not.
 */
const FEW_SHARE = 0.02;
const FEW_LEAST = 400;

/** Of cells those that are unchanged by their probability of no change, in the same order. */
function likeliest(cells: readonly number[], probability: readonly number[]): number[] {
  const sure = cells.filter((_i, j) => probability[j]! > UNCHANGED);
  const few = Math.max(FEW_LEAST, Math.round(FEW_SHARE * cells.length));
  if (sure.length >= few) {
    return sure;
  }
  const order = cells
    .map((_i, j) => j)
    .sort((a, b) => probability[b]! - probability[a]!)
    .slice(0, few)
    .filter((j) => probability[j]! > 0.5);
  return order.map((j) => cells[j]!);
}

/** Places of the cells where both dates have all bands. */
function cellsInCommon(
  reference: readonly Float32Array[],
  date: readonly Float32Array[],
): number[] {
  const cells: number[] = [];
  for (let i = 0; i < reference[0]!.length; i++) {
    let sum = 0;
    for (let k = 0; k < reference.length; k++) {
      sum += reference[k]![i]! + date[k]![i]!;
    }
    // A sum with a NaN, or without end, is not equal to itself.
    if (sum - sum === 0) {
      cells.push(i);
    }
  }
  return cells;
}

/** Means, and sums of squares and products about them, of a date (x) and the reference (y). */
interface Moments {
  mx: number;
  my: number;
  xx: number;
  yy: number;
  xy: number;
}

function momentsOf(x: Float32Array, y: Float32Array, cells: readonly number[]): Moments {
  let mx = 0;
  let my = 0;
  for (const i of cells) {
    mx += x[i]! / cells.length;
    my += y[i]! / cells.length;
  }
  let xx = 0;
  let yy = 0;
  let xy = 0;
  for (const i of cells) {
    xx += (x[i]! - mx) ** 2;
    yy += (y[i]! - my) ** 2;
    xy += (x[i]! - mx) * (y[i]! - my);
  }
  return { mx, my, xx, yy, xy };
}

/** Slope of the orthogonal regression, or the ratio of deviations where those are matched. */
const slopeOf = ({ xx, yy, xy }: Moments, method: LevelMethod): number =>
  method !== "unchanged"
    ? Math.sqrt(yy / xx)
    : (yy - xx + Math.sqrt((yy - xx) ** 2 + 4 * xy * xy)) / (2 * xy);

/** Root mean square of what is left of y after x was levelled. */
function rmse(
  x: Float32Array,
  y: Float32Array,
  cells: readonly number[],
  levelled: (value: number) => number,
): number {
  let sum = 0;
  for (const i of cells) {
    sum += (y[i]! - levelled(x[i]!)) ** 2;
  }
  return Math.sqrt(sum / cells.length);
}

/** The curve that matches the histograms of both. */
const curveOf = (x: Float32Array, y: Float32Array, cells: readonly number[]) => {
  const sorted = (values: Float32Array) => Float64Array.from(cells, (i) => values[i]!).sort();
  return matchedCurve(sorted(x), sorted(y));
};

/** @throws InputError where the band falls when the reference rises, or is the same everywhere */
function fitBand(
  band: string,
  x: Float32Array,
  y: Float32Array,
  cells: readonly number[],
  method: LevelMethod,
): BandFit {
  const moments = momentsOf(x, y, cells);
  const multiply = slopeOf(moments, method);
  const correlation = moments.xy / Math.sqrt(moments.xx * moments.yy);
  if (!(multiply > 0) || !Number.isFinite(multiply)) {
    throw new InputError(
      `Band ${band} does not go along with the reference (correlation ${correlation.toFixed(2)})`,
      "bands",
      "Leave it out.",
    );
  }
  const add = moments.my - multiply * moments.mx;
  const curve = method === "histogram" ? curveOf(x, y, cells) : null;
  const levelled = (value: number) => (curve ? onCurve(curve, value) : multiply * value + add);
  const every = Math.max(1, Math.floor(cells.length / SCATTER));
  const shown = cells.filter((_i, j) => j % every === 0).slice(0, SCATTER);
  return {
    band,
    multiply,
    add,
    ...(curve ? { curve } : {}),
    correlation,
    rmseBefore: rmse(x, y, cells, (value) => value),
    rmseAfter: rmse(x, y, cells, levelled),
    scatter: shown.map((i) => [x[i]!, y[i]!]),
  };
}

/** Cells that are unchanged by iteratively reweighted MAD. */
function unchangedOf(
  cells: readonly number[],
  reference: readonly Float32Array[],
  date: readonly Float32Array[],
): number[] {
  const mad = irMad(reference, date);
  return likeliest(
    cells,
    cells.map((i) => noChange(mad, reference, date, i)),
  );
}

/**
 * Relative radiometric normalisation. 'unchanged': orthogonal regression per band over cells that
 * iteratively reweighted MAD calls unchanged (Canty & Nielsen 2008). 'spread': mean and deviation of
 * all cells are matched. 'histogram': their histograms are, along a rising curve.
 * @param names of the bands
 * @param reference by band, NaN = nodata
 * @param date by band, cells in the same order
 * @throws InputError when too few cells are unchanged, or a band does not go along with the
 * reference
 */
export function levelDates(
  names: readonly string[],
  reference: readonly Float32Array[],
  date: readonly Float32Array[],
  method: LevelMethod,
): LevelFit {
  const all = cellsInCommon(reference, date);
  const used = method === "unchanged" ? unchangedOf(all, reference, date) : all;
  if (used.length < LEAST_CELLS) {
    throw new InputError(
      `Only ${used.length} of ${all.length} cells are unchanged between the two dates`,
      "method",
      "Match mean and spread, or take another reference.",
    );
  }
  return {
    cells: used.length,
    of: all.length,
    bands: names.map((band, k) => fitBand(band, date[k]!, reference[k]!, used, method)),
  };
}
