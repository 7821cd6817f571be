import { CLASS_NODATA } from "../raster/block";
import type { Appearance } from "./appearance";
import { AROUND_CELLS, sharesAround } from "./around";
import { logDensity } from "./mixture";

/** Share of cells that may look like anything the map holds: what they look like says nothing. */
export const ODD_SHARE = 0.1;
/** What classes that are not around a cell count for, by their share of the map. */
export const ELSEWHERE = 0.02;

/**
 * A class whose density has a logarithm that much under that of all cells adds nothing beside those that
 * may look like anything: a millionth of them at the most.
 */
const NEXT_TO_NOTHING = 16;

/** A window of a map, with what is looked at. */
export interface Looked {
  /** Labels of the window with `AROUND_CELLS` more on every side; nodata outside of the map. */
  labels: Uint8Array;
  /** Cells across with that margin. */
  width: number;
  /** By value, for the window without its margin. */
  values: readonly Float32Array[];
}

/** How the likelihoods of a cell come out of its values; all alike where one is no number. */
class Likelihood {
  private readonly cell: Float64Array;
  readonly byClass: Float64Array;

  constructor(private readonly appearance: Appearance) {
    this.cell = new Float64Array(appearance.used.length);
    this.byClass = new Float64Array(appearance.labels.length);
  }

  look(values: readonly Float32Array[], i: number): void {
    const { used, middle, spread, mixtures, whole } = this.appearance;
    const { cell, byClass } = this;
    for (let k = 0; k < used.length; k++) {
      cell[k] = (values[used[k]!]![i]! - middle[k]!) / spread[k]!;
      if (Number.isNaN(cell[k]!)) {
        byClass.fill(1);
        return;
      }
    }
    const any = logDensity(whole, cell);
    let top = any;
    const least = any - NEXT_TO_NOTHING;
    for (let k = 0; k < byClass.length; k++) {
      const mixture = mixtures[k];
      const log = mixture ? logDensity(mixture, cell, least) : any;
      byClass[k] = log;
      top = log > top ? log : top;
    }
    const odd = ODD_SHARE * Math.exp(any - top);
    for (let k = 0; k < byClass.length; k++) {
      byClass[k] = (1 - ODD_SHARE) * Math.exp(byClass[k]! - top) + odd;
    }
  }
}

/**
 * Probability that a cell is of a class: how likely the class is to look as the cell does (a tenth of all
 * cells may look like anything), times its share among the cells around.
 * @returns by class in the order of the appearance, for the window without its margin; NaN where the map
 * is nodata. They sum to one.
 */
export function probabilitiesOf(appearance: Appearance, looked: Looked): Float32Array[] {
  const { labels, width, values } = looked;
  const { labels: classes, shares } = appearance;
  const out = sharesAround(labels, width, classes);
  const likelihood = new Likelihood(appearance);
  const across = width - 2 * AROUND_CELLS;
  const cells = out[0]?.length ?? 0;
  for (let i = 0; i < cells; i++) {
    const at = (Math.floor(i / across) + AROUND_CELLS) * width + (i % across) + AROUND_CELLS;
    if (labels[at] === CLASS_NODATA) {
      for (const band of out) {
        band[i] = NaN;
      }
      continue;
    }
    likelihood.look(values, i);
    let sum = 0;
    for (let k = 0; k < out.length; k++) {
      const around = out[k]![i]!;
      const here = Number.isNaN(around)
        ? shares[k]!
        : (1 - ELSEWHERE) * around + ELSEWHERE * shares[k]!;
      out[k]![i] = here * likelihood.byClass[k]!;
      sum += out[k]![i]!;
    }
    for (const band of out) {
      band[i]! /= sum;
    }
  }
  return out;
}

/**
 * Probability that each cell is of the class that the map says.
 * @param labels of the window without its margin @param probabilities by class of `classes`
 * @returns NaN where the map is nodata
 */
export function certaintyOf(
  labels: Uint8Array,
  classes: readonly number[],
  probabilities: readonly Float32Array[],
): Float32Array {
  const placeOf = new Int16Array(256).fill(-1);
  classes.forEach((label, k) => {
    placeOf[label] = k;
  });
  return Float32Array.from(labels, (label, i) => {
    const place = placeOf[label]!;
    return label === CLASS_NODATA || place < 0 ? NaN : probabilities[place]![i]!;
  });
}
