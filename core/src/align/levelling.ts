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
export interface LevelFit {
  bands: BandFit[];
  cells: number;
  of: number;
}
export type LevelMethod = "unchanged" | "histogram";

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

/**
 * Relative radiometric normalisation. 'unchanged': orthogonal regression per band over cells that
 * iteratively reweighted MAD calls unchanged (Canty & Nielsen
 * 2008). 'histogram': mean and deviation of all cells are matched.
 * @param reference, date by band, cells in the same order, NaN = nodata
 * @throws InputError when too few cells are unchanged, or a band does not go along with the
 * reference
 */
export function levelDates(
  names: readonly string[],
  reference: readonly Float32Array[],
  date: readonly Float32Array[],
  method: LevelMethod,
): LevelFit {
  const n = reference[0]!.length;
  const all: number[] = [];
  for (let i = 0; i < n; i++) {
    let s = 0;
    for (let k = 0; k < names.length; k++) {
      s += reference[k]![i]! + date[k]![i]!;
    }
    if (s - s === 0) {
      all.push(i);
    }
  }
  let used = all;
  if (method === "unchanged") {
    const mad = irMad(reference, date);
    used = likeliest(
      all,
      all.map((i) => noChange(mad, reference, date, i)),
    );
  }
  if (used.length < LEAST_CELLS) {
    throw new InputError(
      `Only ${used.length} of ${all.length} cells are unchanged between the two dates`,
      "method",
      "Match histograms, or take another reference.",
    );
  }
  const every = Math.max(1, Math.floor(used.length / SCATTER));
  return {
    cells: used.length,
    of: all.length,
    bands: names.map((band, k): BandFit => {
      const x = date[k]!;
      const y = reference[k]!;
      let sx = 0;
      let sy = 0;
      for (const i of used) {
        sx += x[i]!;
        sy += y[i]!;
      }
      const mx = sx / used.length;
      const my = sy / used.length;
      let xx = 0;
      let yy = 0;
      let xy = 0;
      for (const i of used) {
        xx += (x[i]! - mx) ** 2;
        yy += (y[i]! - my) ** 2;
        xy += (x[i]! - mx) * (y[i]! - my);
      }
      const multiply =
        method === "histogram"
          ? Math.sqrt(yy / xx)
          : (yy - xx + Math.sqrt((yy - xx) ** 2 + 4 * xy * xy)) / (2 * xy);
      const add = my - multiply * mx;
      const correlation = xy / Math.sqrt(xx * yy);
      if (!(multiply > 0) || !Number.isFinite(multiply)) {
        throw new InputError(
          `Band ${band} does not go along with the reference (correlation ${correlation.toFixed(2)})`,
          "bands",
          "Leave it out.",
        );
      }
      let off = 0;
      let left = 0;
      for (const i of used) {
        off += (y[i]! - x[i]!) ** 2;
        left += (y[i]! - multiply * x[i]! - add) ** 2;
      }
      return {
        band,
        multiply,
        add,
        correlation,
        rmseBefore: Math.sqrt(off / used.length),
        rmseAfter: Math.sqrt(left / used.length),
        scatter: used
          .filter((_i, j) => j % every === 0)
          .slice(0, SCATTER)
          .map((i) => [x[i]!, y[i]!]),
      };
    }),
  };
}
