import { addToHistogram, emptyHistogram, quantile } from "../../raster/histogram";
import { type Body, type Sample, bodiesOf } from "./bodies";
import type { WaterLevels } from "./levels";
import { type Unchanged, addChange, changeHistogram, unchangedOf } from "./unchanged";

/** What is looked for, and how finely. */
export interface Looking {
  levels: WaterLevels;
  /** Cells of the smallest body. */
  leastCells: number;
  /** Side of a cell in metres. */
  cellM: number;
}

/** The other polarisation: levels of land and of water, and the value that parts them. */
export interface CrossLevels {
  land: number;
  water: number;
  between: number;
}

/** Bodies of a pair by what they seem to be. */
export interface Signs {
  unchanged: Unchanged;
  /** Median of land before, decibels; NaN where there is none. */
  landDb: number;
  /** Half of what the middle two thirds of land before span, decibels; NaN where there is none. */
  landSpread: number;
  cross: CrossLevels | null;
  /** Became dark. */
  darker: Body[];
  /** Became dark, and were water before by the other polarisation or on earlier dates. */
  roughBefore: Body[];
  /** Were dark and became bright. */
  brighter: Body[];
  /** Were dark and became bright, and are water still by the other polarisation. */
  roughAfter: Body[];
  darkOnBoth: Body[];
}

/** Change that no body has by noise: decibels, and deviations of unchanged ground. */
const LEAST_CHANGE = 3.5;
const LEAST_DEVIATIONS = 4.5;
/** Where soil, crops and snow moved the land, no more than this is asked of water. */
const MOST_CHANGE = 5.5;
/** Decibels under the level of the darkest water up to which ground counts as dry before. */
const DRY_ROOM = 1;
/** Degrees over which ground is no water. */
const STEEP_DEG = 5;
/** Of the way from water to land in the other polarisation, what still counts as water. */
const NEAR_WATER = 0.4;
/** Decibels between water and land in the other polarisation for it to tell anything. */
const LEAST_CROSS = 5;

/** Whether a cell is land on both dates. */
const isLandIn =
  ({ before, after }: Sample, { dark }: WaterLevels) =>
  (i: number): boolean =>
    before[i]! > dark && after[i]! > dark;

/** Values of a layer where something holds; nodata elsewhere. */
const where = (layer: Float32Array, holds: (i: number) => boolean): Float32Array =>
  layer.map((value, i) => (holds(i) ? value : NaN));

/** Looks for bodies of water and of change in samples of a pair. */
export function signsOf(samples: readonly Sample[], looking: Looking): Signs {
  const changes = changeHistogram();
  const land = emptyHistogram(-40, 10, 500);
  for (const sample of samples) {
    const isLand = isLandIn(sample, looking.levels);
    addChange(changes, sample.before, sample.after, isLand);
    addToHistogram(land, where(sample.before, isLand));
  }
  const unchanged = unchangedOf(changes);
  const cross = crossOf(samples, looking.levels);
  const all = samples.map((sample, k) => bodiesIn(sample, k, looking, unchanged, cross));
  return {
    unchanged,
    cross,
    landDb: quantile(land, 0.5),
    landSpread: (quantile(land, 5 / 6) - quantile(land, 1 / 6)) / 2,
    darker: all.flatMap((one) => one.darker),
    roughBefore: all.flatMap((one) => one.roughBefore),
    brighter: all.flatMap((one) => one.brighter),
    roughAfter: all.flatMap((one) => one.roughAfter),
    darkOnBoth: all.flatMap((one) => one.darkOnBoth),
  };
}

/** How much darker or brighter than unchanged ground a cell must be. */
export const leastChange = ({ deviation }: Unchanged): number =>
  Math.max(LEAST_CHANGE, Math.min(MOST_CHANGE, LEAST_DEVIATIONS * deviation));

/** Levels of land and water in the other polarisation; null where it does not part them. */
function crossOf(samples: readonly Sample[], levels: WaterLevels): CrossLevels | null {
  const lands = emptyHistogram(-45, 5, 500);
  const waters = emptyHistogram(-45, 5, 500);
  for (const sample of samples) {
    const { before, after, crossBefore, crossAfter } = sample;
    if (crossBefore && crossAfter) {
      addToHistogram(lands, where(crossBefore, isLandIn(sample, levels)));
      addToHistogram(
        waters,
        where(crossAfter, (i) => after[i]! < levels.sure),
      );
      addToHistogram(
        waters,
        where(crossBefore, (i) => before[i]! < levels.sure),
      );
    }
  }
  const land = quantile(lands, 0.5);
  const water = quantile(waters, 0.5);
  return land - water > LEAST_CROSS
    ? { land, water, between: water + NEAR_WATER * (land - water) }
    : null;
}

/** What single cells of a sample show. */
function cellsOf(
  sample: Sample,
  levels: WaterLevels,
  unchanged: Unchanged,
  cross: CrossLevels | null,
) {
  const { before, after, slope, others = [] } = sample;
  const least = leastChange(unchanged);
  const change = (i: number) => after[i]! - before[i]! - unchanged.middle;
  const isLevel = (i: number) => !slope || !(slope[i]! > STEEP_DEG);
  const isCrossWater = (layer: Float32Array | undefined) => (i: number) =>
    !!cross && !!layer && layer[i]! < cross.between;
  const isKnown = (i: number) =>
    others.some((other) => other[i]! < levels.sure) &&
    others.every((other) => !(other[i]! > levels.dark));
  return {
    isLevel,
    isDarker: (i: number) =>
      change(i) < -least &&
      after[i]! < levels.dark &&
      before[i]! > levels.dark - DRY_ROOM &&
      isLevel(i),
    isBrighter: (i: number) => change(i) > least && before[i]! < levels.dark && isLevel(i),
    isDark: (i: number) =>
      before[i]! < levels.dark &&
      after[i]! < levels.dark &&
      Math.abs(change(i)) < least &&
      isLevel(i),
    wasCrossWater: isCrossWater(sample.crossBefore),
    isCrossWater: isCrossWater(sample.crossAfter),
    isKnown,
  };
}

/** Bodies of one sample. */
function bodiesIn(
  sample: Sample,
  index: number,
  looking: Looking,
  unchanged: Unchanged,
  cross: CrossLevels | null,
) {
  const cell = cellsOf(sample, looking.levels, unchanged, cross);
  const found = (holds: (i: number) => boolean) => {
    const marked = new Uint8Array(sample.before.length);
    for (let i = 0; i < marked.length; i++) {
      marked[i] = holds(i) ? 1 : 0;
    }
    return bodiesOf(sample, index, marked, looking);
  };
  const wasWater = (i: number) => cell.wasCrossWater(i) || cell.isKnown(i);
  return {
    darker: found((i) => cell.isDarker(i) && !wasWater(i)),
    roughBefore: found((i) => cell.isDarker(i) && wasWater(i)),
    brighter: found((i) => cell.isBrighter(i) && !cell.isCrossWater(i)),
    roughAfter: found((i) => cell.isBrighter(i) && cell.isCrossWater(i)),
    darkOnBoth: found(cell.isDark),
  };
}
