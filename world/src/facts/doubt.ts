import type { Appearance } from "@hindglance/core/doubt/appearance";
import { DoubtTally, probableArea } from "@hindglance/core/doubt/areas";
import { type Calibration, calibrationOf } from "@hindglance/core/doubt/calibration";
import {
  type DoubtFrom,
  appearanceFrom,
  doubtIn,
  imagesOf,
  samplesIn,
} from "@hindglance/core/doubt/mapDoubt";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Grid, type Window } from "@hindglance/core/grid/grid";
import { copyWindow } from "@hindglance/core/raster/block";
import type { Truth } from "./scored";

/** Probabilities of the classes of a whole map. */
export interface WholeDoubt {
  labels: Uint8Array;
  /** By cell, the probability that it is of one of some classes; NaN where the map is nodata. */
  ofAny(wanted: readonly number[]): Float32Array;
}

/** How doubt holds against the truth, with areas in km². */
export interface DoubtScore extends Calibration {
  mapped: number;
  probable: number;
  /** Half of the 95 % interval of the probable area. */
  half: number;
  truth: number;
}

const windowsOf = ({ width, height }: Grid): Window[] =>
  Array.from({ length: Math.ceil(height / BLOCK) }, (_r, row) =>
    Array.from({ length: Math.ceil(width / BLOCK) }, (_c, col) => ({
      col: col * BLOCK,
      row: row * BLOCK,
      width: Math.min(BLOCK, width - col * BLOCK),
      height: Math.min(BLOCK, height - row * BLOCK),
    })),
  ).flat();

/** Probabilities of all cells of a map, found as a study does; null where nothing can be told. */
export async function wholeDoubt(
  evaluator: Evaluator,
  from: DoubtFrom,
  map: NodeSpec,
  grid: Grid,
): Promise<WholeDoubt | null> {
  const windows = windowsOf(grid);
  const appearances: Appearance[] = [];
  for (const image of imagesOf(from, map)) {
    const { bands } = await evaluator.info(image.values);
    const samples = await samplesIn(evaluator, image, windows);
    const appearance = appearanceFrom([samples], bands.length);
    if (!appearance) {
      return null;
    }
    appearances.push(appearance);
  }
  const size = grid.width * grid.height;
  const whole = { col: 0, row: 0, width: grid.width, height: grid.height };
  const labels = new Uint8Array(size);
  const byClass = new Map<number, Float32Array>();
  for (const window of windows) {
    const found = await doubtIn(evaluator, { from, map }, appearances, window);
    copyWindow(found.labels, window, labels, whole);
    found.classes.forEach((label, k) => {
      const cells = byClass.get(label) ?? new Float32Array(size);
      byClass.set(label, cells);
      copyWindow(found.probabilities[k]!, window, cells, whole);
    });
  }
  return {
    labels,
    ofAny: (wanted) => {
      const out = new Float32Array(size);
      for (const label of wanted) {
        byClass.get(label)?.forEach((share, i) => {
          out[i]! += share;
        });
      }
      return out;
    },
  };
}

const digits = (value: number): number => Math.round(value * 1e4) / 1e4;

/**
 * Holds the doubt of a map against the truth: whether each cell is one of some classes or not.
 * @param wanted their labels
 */
export function scoreDoubt(
  { labels, ofAny }: WholeDoubt,
  wanted: readonly number[],
  { real, counts, cellKm2 }: Truth,
  grid: Grid,
): DoubtScore {
  const shares = ofAny(wanted).map((value, i) => (counts(i) ? value : NaN));
  const isMapped = (i: number) => wanted.includes(labels[i]!);
  const certainty = shares.map((value, i) => (isMapped(i) ? value : 1 - value));
  const found = calibrationOf(certainty, (i) => isMapped(i) === real(i));
  const tally = new DoubtTally(1);
  const all = { col: 0, row: 0, width: grid.width, height: grid.height };
  tally.add([1], [shares], null, all, cellAreas(grid));
  const { areaM2, halfM2 } = probableArea(tally.toJSON(), 1, null)!;
  const km2 = (is: (i: number) => boolean) => {
    let cells = 0;
    shares.forEach((value, i) => {
      cells += value >= 0 && is(i) ? 1 : 0;
    });
    return digits(cells * cellKm2);
  };
  return {
    ...found,
    error: digits(found.error),
    doubtfulError: digits(found.doubtfulError),
    found: digits(found.found),
    mapped: km2(isMapped),
    probable: digits(areaM2 / 1e6),
    half: digits(halfM2 / 1e6),
    truth: km2(real),
  };
}
